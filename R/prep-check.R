#' How new rows differ from the training rows
#'
#' A network's answers outside what it was trained on are not to be trusted. This counts, by column, levels that training
#' never saw, gaps where training had none, and numbers outside the training range.
#'
#' @param model A model.
#' @param newdata A data frame, see [predict()][predict.hylomath_model].
#' @param ... Not used.
#' @return An object of class `hylomath_strangeness` with `columns` (a data frame of `column`, `unseen`, `gaps`, `outside` and
#'   `trained_on`, the range or the number of levels, for columns with anything to tell), `rows` (for each row the strange
#'   columns, an empty text for none) and `n`.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> regimen(epochs = 5) |> train(progress = "none")
#' new <- head(kilns)
#' new$peak_c[2] <- 1500
#' new$glaze[3] <- "raku"
#' strangeness(model, new)
#' @export
strangeness <- function(model, ...) UseMethod("strangeness")

#' @rdname strangeness
#' @export
strangeness.hylomath_model <- function(model, newdata, ...) {
  rlang::check_dots_empty()
  table <- new_rows(model$preparation, as_table(newdata))
  found <- lapply(model$preparation$columns, function(plan) strange_rows(plan, table[[plan$column]]))
  counts <- data.frame(
    column = vapply(model$preparation$columns, `[[`, "", "column"),
    unseen = vapply(found, function(f) sum(f$unseen), 0), gaps = vapply(found, function(f) sum(f$gaps), 0),
    outside = vapply(found, function(f) sum(f$outside), 0), trained_on = vapply(model$preparation$columns, trained_on, "")
  )
  told <- which(counts$unseen + counts$gaps + counts$outside > 0)
  rows <- rep("", nrow(table))
  for (i in told) {
    strange <- found[[i]]$unseen | found[[i]]$gaps | found[[i]]$outside
    rows[strange] <- paste0(rows[strange], ifelse(rows[strange] == "", "", ", "), counts$column[i])
  }
  structure(list(n = nrow(table), columns = counts[told, ], rows = rows), class = "hylomath_strangeness")
}

strange_rows <- function(plan, x) {
  never <- rep(FALSE, length(x))
  gaps <- if (plan$seen_gaps == 0) is.na(x) else never
  if (plan$encoding == "number") {
    x <- as.numeric(x)
    return(list(unseen = never, gaps = gaps, outside = !is.na(x) & (x < plan$seen_low | x > plan$seen_high)))
  }
  unseen <- if (!is.null(plan$levels)) level_codes(x, c(plan$levels, plan$rare)) %in% 0L else never
  list(unseen = unseen, gaps = gaps, outside = never)
}

trained_on <- function(plan) {
  if (plan$encoding == "number") return(sprintf("%s to %s", format_number(signif(plan$seen_low, 6)), format_number(signif(plan$seen_high, 6))))
  if (!is.null(plan$levels)) counted(length(plan$levels) + length(plan$rare), "level") else ""
}
