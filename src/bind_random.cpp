#include <Rcpp.h>

#include <numeric>

#include "random.hpp"

// 1 .. n in the random order that (seed, job) gives for splitting rows.
// [[Rcpp::export]]
Rcpp::IntegerVector core_shuffle(int n, double seed, int job) {
  std::vector<std::uint32_t> items(static_cast<std::size_t>(n));
  std::iota(items.begin(), items.end(), 1u);
  hylo::shuffle(items, {std::uint64_t(seed), std::uint32_t(job), 0, hylo::Purpose::Split});
  return Rcpp::IntegerVector(items.begin(), items.end());
}

// FNV-1a (Fowler, Noll, Vo 1991; 32 bits) of the bytes of each text.
// [[Rcpp::export]]
Rcpp::NumericVector core_hash(Rcpp::CharacterVector text) {
  Rcpp::NumericVector result(text.size());
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    std::uint32_t hash = 2166136261u;
    for (const char* c = CHAR(STRING_ELT(text, i)); *c != 0; ++c) hash = (hash ^ static_cast<unsigned char>(*c)) * 16777619u;
    result[i] = hash;
  }
  return result;
}
