library(testthat)
library(clockpigeon)
test_check("clockpigeon")
