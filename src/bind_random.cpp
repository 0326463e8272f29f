#include <Rcpp.h>

#include <numeric>

#include "hash.hpp"
#include "random.hpp"

// 1 .. n in the random order that (seed, job) gives for splitting rows.
// [[Rcpp::export]]
Rcpp::IntegerVector core_shuffle(int n, double seed, int job) {
  std::vector<std::uint32_t> items(static_cast<std::size_t>(n));
  std::iota(items.begin(), items.end(), 1u);
  hylo::shuffle(items, {std::uint64_t(seed), std::uint32_t(job), 0, hylo::Purpose::Split});
  return Rcpp::IntegerVector(items.begin(), items.end());
}

// n numbers in (0, 1) from the stream that (seed, job) gives to a search.
// [[Rcpp::export]]
Rcpp::NumericVector core_uniform(int n, double seed, int job) {
  hylo::Stream stream({std::uint64_t(seed), std::uint32_t(job), 0, hylo::Purpose::Search});
  Rcpp::NumericVector result(n);
  for (double& x : result) x = stream.uniform();
  return result;
}

// How often each of `units` units is drawn, a matrix of units by draws.
// [[Rcpp::export]]
Rcpp::IntegerMatrix core_resample(int units, int draws, double seed) {
  Rcpp::IntegerMatrix counts(units, draws);
  for (int d = 0; d < draws; ++d) {
    hylo::resample(hylo::Span<int>(counts.begin() + std::ptrdiff_t(d) * units, std::size_t(units)),
                   {std::uint64_t(seed), std::uint32_t(d), 0, hylo::Purpose::Resample});
  }
  return counts;
}

// 32 bits of a hash of each text, see core/hash.hpp.
// [[Rcpp::export]]
Rcpp::NumericVector core_hash(Rcpp::CharacterVector text) {
  Rcpp::NumericVector result(text.size());
  for (R_xlen_t i = 0; i < text.size(); ++i) result[i] = hylo::hash_of(CHAR(STRING_ELT(text, i)));
  return result;
}
