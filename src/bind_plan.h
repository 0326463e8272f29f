// R's lists as the core's encoding plans and table columns.
#pragma once
#include <Rcpp.h>

#include <vector>

#include "encode.hpp"

namespace hylo_bind {

hylo::Encoder encoder_from(const Rcpp::List& plans);

// The columns point into R's vectors, which `sources` keeps alive. Doubles, integers and logicals are
// understood, and a list of labels' places and their codes.
std::vector<hylo::SourceColumn> columns_from(const Rcpp::List& sources);
std::size_t length_of(const Rcpp::List& sources);

std::vector<std::uint32_t> zero_based(const Rcpp::IntegerVector& rows);

}  // namespace hylo_bind
