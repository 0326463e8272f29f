# Ordered classes: one score and thresholds on it, cumulative logits (McCullagh 1980). What is said of classes holds,
# but for the order.

task_ordered <- function() {
  utils::modifyList(task_classes(), list(
    losses = "ordinal",
    claims = function(y, kind) FALSE,
    check_loss = function(loss, said, columns) {
      if (length(said$classes) < 3) {
        fail("The loss `ordinal` is for three or more ordered classes.", "For two, use `cross_entropy`.")
      }
    },
    output = function(loss, classes) "ordinal",
    units = function(target) 1L,
    # places from 0
    encode = function(values, target, learned) matrix(as.numeric(class_places(values[[1]], target$classes)) - 1),
    start = function(target, learned, network, offset) ordinal_start(unname(expected_shares(target, learned))),
    evaluate = function(context, evaluated, resampling) evaluate_classes(
      context, evaluated, resampling, ordered = TRUE
    ),
    measure = function(context, evaluated, i = 1) measure_classes(context, evaluated, i, ordered = TRUE),
    estimate = function(context, evaluated, i, resampling) {
      how <- how_of_classes(context, ordered = TRUE)
      class_estimates(how, evaluated, evaluated$predictions, resampling$unit, resampling)
    },
    describe = function(target) {
      order <- paste(target$classes, collapse = " < ")
      with_positive(sprintf("classification, %d ordered classes: %s", length(target$classes), order), target)
    }
  ))
}

# Cumulative shares as thresholds t_k - bias, the first of which is 0: see src/core/loss.hpp.
ordinal_start <- function(share) {
  upto <- stats::qlogis(pmin(pmax(cumsum(share[-length(share)]), 1e-6), 1 - 1e-6))
  c(-upto[1], log(pmax(diff(upto), 1e-3)))
}
