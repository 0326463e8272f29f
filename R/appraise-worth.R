# Whether the network earns its keep: by the measure that it was trained for, against a network without hidden layers on
# the same rows, and whether others of the main measures say clearly otherwise. One row a target; NULL where there is
# none to compare with.
worth_of <- function(measures, primary) {
  if (is.null(measures$linear)) return(NULL)
  own <- measures[measures$measure == primary, ]
  better <- !is.na(own$difference_high) & own$difference_high < 0
  worse <- !is.na(own$difference_low) & own$difference_low > 0
  worth <- data.frame(
    measure = own$measure, value = own$value, linear = own$linear, difference = own$difference,
    low = own$difference_low, high = own$difference_high,
    verdict = ifelse(better, "better", ifelse(worse, "worse", "same"))
  )
  others <- measures[measures$measure %in% setdiff(telling_measures, primary), ]
  rises <- others$measure %in% measures_that_rise
  clearly_worse <- ifelse(rises, others$difference_high < 0, others$difference_low > 0) %in% TRUE
  against <- if ("target" %in% names(own)) own$target %in% others$target[clearly_worse] else any(clearly_worse)
  worth$verdict[better & against] <- "mixed"
  if ("target" %in% names(own)) cbind(own["target"], worth) else worth
}
