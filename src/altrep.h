// R's header for vectors of one's own kind, which needs another one in front of it.
#pragma once
#include <Rcpp.h>
//
#include <R_ext/Altrep.h>
