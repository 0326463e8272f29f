#' Errors by size of the target
#'
#' @param appraisal An appraisal of numbers.
#' @param bands How many bands of about equal counts the observed values are cut into.
#' @return A data frame with a row for each band (and `target`, with several): `band`, `rows`, `observed` and
#'   `prediction` (their means), `bias` (prediction less observed), `MAE` and `RMSE`. Case weights count. Among the rows
#'   with the highest observed values a good network predicts too low on average, and too high among the lowest: it
#'   can't know their luck.
#' @section Errors: An appraisal of classes.
#' @examples
#' set.seed(1)
#' model <- brief(crossings, target = "passengers") |> regimen(epochs = 20) |> quick() |> train(progress = "none")
#' error_bands(appraise(model))
#' @export
error_bands <- function(appraisal, bands = 5) {
  type_number(2, 100, whole = TRUE)(bands, "bands")
  pairs <- number_pairs(appraisal)
  if (bands == 5) return(appraisal$bands)
  of <- function(part) lapply(pairs, `[[`, part)
  evaluated <- list(
    observed = as.data.frame(of("observed")), predictions = as.data.frame(of("prediction")), weight = appraisal$weight
  )
  bands_by_size(evaluated, appraisal$target, bands)
}

# Observed and predicted values, target by target.
number_pairs <- function(appraisal) {
  if (!inherits(appraisal, "hylomath_appraisal") || predicts_classes(appraisal$task)) {
    fail("Errors are those of an appraisal of numbers.", "For classes see confusion_table().")
  }
  evaluated <- appraisal$evaluated
  several <- length(appraisal$target) > 1
  lapply(appraisal$target, function(target) {
    column <- function(what) evaluated[[if (several) paste0(what, "_", target) else what]]
    list(target = target, observed = column("observed"), prediction = column("prediction"))
  })
}
