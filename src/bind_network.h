// R's lists as the core's networks and regimens.
#pragma once
#include <Rcpp.h>

#include "network.hpp"
#include "train.hpp"

namespace hylo_bind {

hylo::NetworkSpec network_from(const Rcpp::List& list);
hylo::Regimen regimen_from(const Rcpp::List& list);

// Dense parameters as the core lays them out, with batch normalisation folded in.
template <class T>
hylo::AlignedVector<T> folded_parameters(const hylo::Layout<T>& layout, const Rcpp::NumericVector& parameters);

}  // namespace hylo_bind
