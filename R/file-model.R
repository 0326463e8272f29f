#' Keep a model in a file
#'
#' One file holds everything: the brief, the learned preparation, the network, the loss curves, and the observed and
#' predicted values of the held-out rows. Predictions after reading are identical bit for bit. Reading never runs code.
#'
#' @section What a file gives away: By default a file holds, of the rows that the model is evaluated on, their keys (the
#'   values of the id), observed values and predictions, and hashes of the rows that it has learned from: by them
#'   [appraise()], [decide()], [recalibrate()] and [calibrate()] work without the table, and learned rows are
#'   distinguished from new ones. `rows = FALSE`, or `hylomath train --bare`, leaves all of that out, and the names of
#'   levels that fewer than `few` training rows have. Such a model predicts, explains and is evaluated on tables that it
#'   is given; rows that it has learned from are no longer known, so it is on you to evaluate it on others. `hylomath
#'   show` and [summary()] say what a file holds. What stays either way are the learned summaries: means, quantiles, the
#'   lowest and highest value of each number, the names of the other levels, and how often each class was seen.
#'
#' @section Format: `docs/model-format.md` describes it, and a JSON Schema comes with the package,
#'   `model-schema.json`. From version 0.2.0 of the package on, every later version reads it. Parts that a later version
#'   adds are kept as they are; another format is refused by its number.
#' @param model A model.
#' @param file A path; `.hylo` is the usual ending. The file is written whole or not at all.
#' @param rows Whether what is known of single rows is written.
#' @param few With `rows = FALSE`, levels that fewer training rows than this have lose their names. A row with such a
#'   level is then predicted as one whose level training never saw.
#' @return `write_model()` returns `model` invisibly, `read_model()` a model that is identical to the one written (with
#'   `rows = FALSE` to what was left of it).
#' @section Errors: A file that can't be read, is damaged, or is not a model file.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> quick() |> train(progress = "none")
#' file <- tempfile(fileext = ".hylo")
#' write_model(model, file)
#' identical(predict(read_model(file), kilns), predict(model, kilns))
#' write_model(model, file, rows = FALSE)
#' @export
write_model <- function(model, file, rows = TRUE, few = 5) {
  if (!is_model(model)) fail(sprintf("Only a model can be written, not %s.", describe_class(model)))
  check_flag(rows, "rows")
  type_number(1, 1e6, whole = TRUE)(few, "few")
  kept <- if (rows) model else without_rows(model, few)
  write_document(model_document, model_content(kept), file)
  invisible(model)
}

model_document <- list(
  format = "hylomath model", version = 8L, foreign = "is not a model file",
  hint = "Model files are written by write_model() or `hylomath train`.", again = "Train its brief again."
)

model_content <- function(model) c(list(identity = identity_of(model)), with_shared(model_parts(model)))

model_parts <- function(model) {
  parts <- unclass(model)
  parts$brief <- brief_yaml(model$brief)
  parts$predictor <- without_classes(parts$predictor)
  if (!is.null(parts$linear)) parts$linear <- without_classes(parts$linear)
  parts
}

# What predicts rows has a name of its own, the same wherever it is kept: twelve digits of the checksum of all that it
# consists of.
identity_of <- function(model) substr(text_checksum(json_text(without_classes(model$predictor))), 1, 12)

# Their classes are given by who reads them.
without_classes <- function(predictor) {
  predictor <- unclass(predictor)
  if (!is.null(predictor$members)) predictor$members <- lapply(predictor$members, unclass)
  predictor
}

with_classes <- function(predictor) {
  if (!is.null(predictor$members)) predictor$members <- lapply(predictor$members, with_classes)
  structure(predictor, class = "hylomath_predictor")
}

#' @rdname write_model
#' @export
read_model <- function(file) {
  content <- read_document(model_document, file)
  content["identity"] <- NULL
  parts <- made_of_content(model_document, file, without_shared(lapply(content, from_stored)))
  lacking <- setdiff(c("brief", "predictor", "curves", "baseline"), names(parts))
  if (length(lacking)) fail_foreign(model_document, file, sprintf("its part %s is missing", quoted(lacking[1])))
  broken <- first_broken(parts, model_checks(parts))
  if (!is.null(broken)) fail_foreign(model_document, file, sprintf("its part %s is damaged", quoted(broken)))
  parts$brief <- read_brief(text = parts$brief, read = FALSE)
  parts$predictor <- with_classes(parts$predictor)
  if (!is.null(parts$linear)) parts$linear <- with_classes(parts$linear)
  structure(parts, class = "hylomath_model")
}

# ---- what an ensemble shares -----------------------------------------------------------------------------------------

# The networks of an ensemble have much in common. In a file it is written once: `shared` holds the targets,
# preparations and shapes of networks that differ, and each member the places of its own.

shared_parts <- c("target", "preparation", "shape")

with_shared <- function(parts) {
  pools <- stats::setNames(lapply(shared_parts, function(part) list()), shared_parts)
  for (name in c("predictor", "linear")) {
    members <- lapply(parts[[name]]$members, apart_from_parameters)
    for (part in shared_parts) {
      each <- lapply(members, `[[`, part)
      pools[[part]] <- unique(c(pools[[part]], each))
      places <- match(hash_each(each), hash_each(pools[[part]]))
      members <- Map(function(member, place) replace(member, part, place), members, places)
    }
    if (length(members)) parts[[name]]$members <- members
  }
  if (lengths(pools)[1] > 0) parts$shared <- pools
  parts
}

without_shared <- function(parts) {
  pools <- parts$shared
  parts["shared"] <- NULL
  for (name in c("predictor", "linear")) {
    members <- lapply(parts[[name]]$members, function(member) {
      for (part in shared_parts) member[[part]] <- pools[[part]][[member[[part]]]]
      together_with_parameters(member)
    })
    if (length(members)) parts[[name]]$members <- members
  }
  parts
}

hash_each <- function(x) vapply(x, rlang::hash, "")

# A predictor whose network is parted into its shape and what it has learned, and whole again.
apart_from_parameters <- function(predictor) {
  learned <- intersect(c("parameters", "members"), names(predictor$network))
  predictor$shape <- predictor$network[setdiff(names(predictor$network), learned)]
  predictor$network <- predictor$network[learned]
  predictor
}

together_with_parameters <- function(predictor) {
  predictor$network <- c(predictor$shape, predictor$network)
  predictor["shape"] <- NULL
  predictor
}
