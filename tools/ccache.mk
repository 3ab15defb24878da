CXX17 = ccache g++
CXX = ccache g++
