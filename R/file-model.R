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
  if (!is_flag(rows)) fail(sprintf("`rows` must be TRUE or FALSE, not %s.", describe(rows)))
  type_number(1, 1e6, whole = TRUE)(few, "few")
  kept <- if (rows) model else without_rows(model, few)
  write_compressed(model_text(kept), file)
  invisible(model)
}

# The document: a head by which it is known and found whole, and the content behind it as one text.
model_text <- function(model) {
  content <- json_text(c(list(identity = identity_of(model)), with_shared(model_parts(model))))
  paste0(
    "{\"format\":\"hylomath model\",\"format_version\":", model_format, ",\"checksum\":\"", text_checksum(content),
    "\",\"content\":", content, "}"
  )
}

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

model_format <- 8L

#' @rdname write_model
#' @export
read_model <- function(file) {
  check_file(file)
  foreign <- function(why) {
    hint <- "Model files are written by write_model() or `hylomath train`."
    fail(sprintf("%s is not a model file: %s.", quoted(file), why), hint)
  }
  if (!is_compressed(file)) foreign("it is not compressed as one")
  damaged <- function(e) foreign("it is damaged")
  text <- said_by_others(tryCatch(read_compressed(file), warning = damaged), damaged)
  content <- model_content(text, file, foreign)
  parts <- tryCatch(
    without_shared(lapply(content, from_stored)),
    error = function(e) foreign(if (inherits(e, "hylomath_error")) sub("[.]$", "", e$what) else "it is damaged")
  )
  broken <- setdiff(c("brief", "predictor", "curves", "baseline"), names(parts))
  if (length(broken)) foreign(sprintf("its part %s is missing", quoted(broken[1])))
  part <- broken_part(parts)
  if (!is.null(part)) foreign(sprintf("its part %s is damaged", quoted(part)))
  parts$brief <- read_brief(text = parts$brief, read = FALSE)
  parts$predictor <- with_classes(parts$predictor)
  if (!is.null(parts$linear)) parts$linear <- with_classes(parts$linear)
  structure(parts, class = "hylomath_model")
}

model_head <- paste0(
  "^[{]\"format\":\"hylomath model\",\"format_version\":([0-9]+),\"checksum\":\"([0-9a-f]{64})\",\"content\":"
)

# The parts as JSON has them: the content is checked before it is parsed.
model_content <- function(text, file, foreign) {
  parse <- function(text) {
    unreadable <- function(e) foreign("what it holds is damaged or something else")
    said_by_others(parse_document(text, quoted(file)), unreadable)
  }
  if (!validUTF8(text)) foreign("it is damaged")
  head <- regmatches(text, regexec(model_head, substr(text, 1, 200)))[[1]]
  if (length(head) == 0) {
    parts <- parse(text)
    if (!is.list(parts) || !identical(parts$format, "hylomath model")) foreign("it holds something else")
    check_model_format(file, parts$format_version)
    foreign("it is damaged")
  }
  check_model_format(file, as.integer(head[2]))
  content <- substr(text, nchar(head[1]) + 1, nchar(text) - 1)
  if (!identical(text_checksum(content), head[3])) foreign("it is damaged, its checksum is another one")
  parts <- parse(content)
  if (!is.list(parts)) foreign("it is damaged")
  parts[names(parts) != "identity"]
}

check_model_format <- function(file, version) {
  number <- as_one_number(version)
  if (identical(as.integer(number), model_format)) return()
  newer <- isTRUE(number > model_format)
  by <- if (newer) "a newer" else "an older"
  fail(
    sprintf("%s was written by %s version of hylomath (format %s).", quoted(file), by, version),
    if (newer) "Update the package." else "Train its brief again."
  )
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
