#' Errors by size of the target
#'
#' @param appraisal An appraisal of numbers.
#' @param bands How many bands of about equal counts the observed values are cut into.
#' @return A data frame with a row for each band (and `target`, with several): `band`, `rows`, `observed` and `answer` (their
#'   means), `bias` (answer less observed), `MAE` and `RMSE`. Case weights count. Among the rows with the highest observed
#'   values a good network answers too low on average, and too high among the lowest: it can't know their luck.
#' @section Errors: An appraisal of classes.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> train(progress = "none")
#' error_bands(appraise(model))
#' @export
error_bands <- function(appraisal, bands = 5) {
  type_number(2, 100, whole = TRUE)(bands, "bands")
  number_pairs(appraisal)  # refuses classes
  if (bands == 5) appraisal$bands else bands_by_size(appraised_rows(appraisal), appraisal$target, bands)
}

# Of judged rows with `observed`, `answers` and `weight`.
bands_by_size <- function(judged, target, bands) {
  each <- lapply(seq_along(target), function(i) {
    observed <- observed_of(judged, i)
    answer <- judged$answers[[i]]
    band <- bands_of(observed, bands)
    rows <- lapply(levels(band), function(one) {
      own <- band == one
      mean <- function(x) weighted_mean(x[own], judged$weight[own])
      error <- answer - observed
      data.frame(band = one, rows = sum(own), observed = mean(observed), answer = mean(answer), bias = mean(error), MAE = mean(abs(error)), RMSE = sqrt(mean(error^2)))
    })
    rows <- do.call(rbind, rows)
    if (length(target) > 1) cbind(target = target[i], rows) else rows
  })
  do.call(rbind, each)
}

appraised_rows <- function(appraisal) {
  pairs <- number_pairs(appraisal)
  list(
    observed = if (length(pairs) == 1) pairs[[1]]$observed else as.data.frame(lapply(pairs, `[[`, "observed")), answers = as.data.frame(lapply(pairs, `[[`, "answer")),
    weight = appraisal$weight
  )
}

# Observed and answered values, target by target.
number_pairs <- function(appraisal) {
  if (!inherits(appraisal, "hylomath_appraisal") || appraisal$task == "classification") fail("Errors are those of an appraisal of numbers.", "For classes see confusion_table().")
  judged <- appraisal$judged
  if (length(appraisal$target) == 1) return(list(list(target = appraisal$target, observed = judged$observed, answer = judged$answer)))
  lapply(appraisal$target, function(target) list(target = target, observed = judged[[paste0("observed_", target)]], answer = judged[[paste0("answer_", target)]]))
}
