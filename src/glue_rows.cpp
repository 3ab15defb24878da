// Rows that agree, for columns of R.
#include <Rcpp.h>
#include <cstring>
#include "core_rows.h"

// Numbers of the distinct rows of `columns` (texts in UTF-8, numbers, flags), from 1, as they first occur.
// [[Rcpp::export]]
Rcpp::IntegerVector row_numbers(Rcpp::List columns, int rows) {
  std::vector<int32_t> code(rows, 0);
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    if (Rf_xlength(column) != rows) Rcpp::stop("a column has not as many values as there are rows");
    switch (TYPEOF(column)) {
      case LGLSXP:
      case INTSXP: {
        const int *p = INTEGER(column);
        clockpigeon::split_rows(code, [p](size_t i) { return uint64_t(uint32_t(p[i])); });
        break;
      }
      case REALSXP: {
        const double *p = REAL(column);
        clockpigeon::split_rows(code, [p](size_t i) {
          const double x = ISNAN(p[i]) ? NA_REAL : p[i] + 0.0;  // all that is missing is one value, and so is zero
          uint64_t bits;
          std::memcpy(&bits, &x, sizeof bits);
          return bits;
        });
        break;
      }
      case STRSXP: {
        const SEXP *p = STRING_PTR_RO(column);  // R keeps one copy of each text
        clockpigeon::split_rows(code, [p](size_t i) { return uint64_t(reinterpret_cast<uintptr_t>(p[i])); });
        break;
      }
      default: Rcpp::stop("a column is neither text, number nor flag");
    }
  }
  Rcpp::IntegerVector out(rows);
  for (int i = 0; i < rows; ++i) out[i] = code[i] + 1;
  return out;
}
