// All code that hands R's arrays to the core, compiled as one unit: Rcpp's headers take about 10 s per unit.
#include <Rcpp/Lightest>

#include "glue_arrive.cpp"
#include "glue_bill.cpp"
#include "glue_curve.cpp"
#include "glue_join.cpp"
#include "glue_look.cpp"
#include "glue_noise.cpp"
#include "glue_process.cpp"
#include "glue_rows.cpp"
#include "glue_simulate.cpp"
#include "glue_texts.cpp"
#include "glue_week.cpp"
#include "RcppExports.cpp"
