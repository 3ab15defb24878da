// Texts of large columns, looked through or made without a vector of R in between.
#include <Rcpp.h>
#include <cstring>
#include <string>

// Places (from 1) of the texts that are empty or contain spaces and tabs only.
// [[Rcpp::export]]
Rcpp::IntegerVector blank_places(Rcpp::CharacterVector texts) {
  const SEXP *p = STRING_PTR_RO(texts);
  std::vector<int> at;
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    if (p[i] == NA_STRING) continue;
    const char *text = CHAR(p[i]);
    if (text[std::strspn(text, " \t")] == '\0') at.push_back(i + 1);
  }
  return Rcpp::wrap(at);
}

// `start` followed by 1 to `n` in six hexadecimal digits.
// [[Rcpp::export]]
Rcpp::CharacterVector count_on(std::string start, int n) {
  static const char digits[] = "0123456789abcdef";
  Rcpp::CharacterVector out(n);
  std::string text = start + "000000";
  for (int i = 1; i <= n; ++i) {
    for (int place = 0; place < 6; ++place) text[text.size() - 1 - place] = digits[(i >> (4 * place)) & 15];
    SET_STRING_ELT(out, i - 1, Rf_mkCharLen(text.data(), text.size()));
  }
  return out;
}
