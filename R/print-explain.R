#' @export
format.hylomath_importance <- function(x, ...) {
  columns <- x$columns
  cells <- list(
    column = shorten(columns$column, 30), rise = format_measure(columns$importance),
    interval = paste(format_measure(columns$low), "to", format_measure(columns$high)),
    share = format_percent_short(pmax(columns$share, 0))
  )
  names(cells)[3] <- interval_heading(x$level)
  if (length(x$target) > 1) cells <- c(list(target = said_once(columns$target)), cells)
  rows <- counted(x$n, paste(x$rows, "row"))
  c(
    cli::style_bold(sprintf("Importance of the columns for %s", enumerate(x$target))), "",
    as_text_table(cells, length(cells) - 3), "",
    paragraphs(c(
      sprintf(
        "How much the %s of %s (%s) rises when a column is shuffled%s, and as a share of it.", x$measure, rows,
        enumerate(format_measure(x$value)), if (x$among_alike) " among rows that are alike in the others" else ""
      ),
      vapply(names(x$groups), function(name) {
        sprintf("\"%s\" is %s, shuffled together.", name, enumerate(x$groups[[name]]))
      }, ""),
      paste(
        if (x$among_alike) {
          "What a column shares with the others does not count for it."
        } else {
          "Columns that carry the same information share their importance."
        },
        "If an interval contains 0, the network may not need the column."
      ),
      if (any(columns$share > 10)) {
        sprintf(
          "Without %s the loss is more than ten times as high. Is it known before %s is?",
          enumerate(unique(columns$column[columns$share > 10])), enumerate(x$target)
        )
      }
    ))
  )
}

#' @export
format.hylomath_effect <- function(x, ...) {
  inputs <- enumerate(x$input)
  shown <- effect_rows_shown(x)
  left <- if (nrow(shown) < nrow(x$curve)) {
    what <- "  (%s values in all: as.data.frame() gives them, plot_effect() draws them)"
    sprintf(what, format_count(nrow(x$curve)))
  }
  how <- if (x$local) {
    "Over %s, each moved within its own step of %s alone, everything else as it is; the steps are added up."
  } else {
    "Over %s, each with %s set to every value and everything else as it is."
  }
  c(
    cli::style_bold(sprintf("%s by %s", enumerate(x$target), inputs)), "", as_text_table(effect_cells(x, shown), 1),
    left, "", paragraphs(sprintf(how, counted(x$n, "row"), inputs))
  )
}

# Twelve values of a curve, forty of a pair.
effect_rows_shown <- function(x) {
  curve <- x$curve
  points <- nrow(curve) / length(unique(curve$of))
  if (length(x$input) > 1 || points <= 12) return(utils::head(curve, 40))
  rows <- split(seq_len(nrow(curve)), factor(curve$of, unique(curve$of)))
  evenly <- function(rows) rows[unique(round(seq(1, length(rows), length.out = 12)))]
  curve[unlist(lapply(rows, evenly)), ]
}

effect_cells <- function(x, shown) {
  alone <- length(x$input) == 1
  values <- lapply(shown[x$input], function(v) if (is.numeric(v)) format_each_short(v) else as.character(v))
  what <- paste("mean", if (predicts_classes(x$task)) "probability" else "prediction")
  c(
    list(of = said_once(shown$of)), values, stats::setNames(list(format_measure(shown$prediction)), what),
    if (alone) {
      heading <- if (x$local) interval_heading(x$level) else "nine of ten rows"
      stats::setNames(list(interval_cell(shown$low, shown$high)), heading)
    }
  )
}

#' @export
format.hylomath_contributions <- function(x, ...) {
  what <- if (predicts_classes(x$task)) "The probability of \"%s\" is %s" else "The prediction for %s is %s"
  columns <- x$columns
  cells <- list(
    column = shorten(columns$column, 30), value = shorten(columns$value, 24),
    moves = format_signed(columns$contribution)
  )
  if (!is.null(x$passes)) cells[["95 % of sampling"]] <- sprintf("+-%s", format_measure(1.96 * columns$error))
  prediction <- sprintf(what, x$of, format_measure(x$prediction))
  how <- if (is.null(x$passes)) {
    sprintf("They are exact over %s.", counted(x$rows, "other row"))
  } else {
    sprintf("They are sampled in %s over %s.", counted(x$passes, "pass", "passes"), counted(x$rows, "other row"))
  }
  c(
    cli::style_bold(sprintf("%s; over the other rows it is %s on average", prediction, format_measure(x$mean))), "",
    as_text_table(cells, 2), "",
    paragraphs(paste("The moves add up to the difference.", how))
  )
}

#' @export
format.hylomath_interactions <- function(x, ...) {
  shown <- utils::head(x$pairs, 20)
  cells <- list(
    said_once(shown$of), shorten(shown$first, 24), shorten(shown$second, 24), format_measure(shown$size),
    interval_cell(shown$low, shown$high), format_percent_short(shown$share)
  )
  heads <- c("of", "first", "second", "together", interval_heading(x$level), "share")
  most <- shown[1, ]
  c(
    cli::style_bold(sprintf("Columns that act together on %s", enumerate(x$target))), "",
    as_text_table(stats::setNames(cells, heads), 3),
    if (nrow(shown) < nrow(x$pairs)) sprintf("  (%s pairs in all: as.data.frame() gives them)", nrow(x$pairs)), "",
    paragraphs(c(
      sprintf(
        paste(
          "How much the mean effect of two columns deviates from the sum of their own over %s, in units of the",
          "prediction; the share is of its variance and those of their own effects together."
        ),
        counted(x$n, "row")
      ),
      if (x$left_out > 0) {
        what <- "%s that move the mean prediction less are left out: name them in `columns`."
        sprintf(what, counted(x$left_out, "column"))
      },
      sprintf("effect_of(with = ) shows what a pair does, such as %s with %s.", most$first, most$second)
    ))
  )
}

#' @export
format.hylomath_contributions_of_rows <- function(x, ...) {
  size <- colMeans(abs(x$contributions))
  order <- utils::head(order(-size), 15)
  column <- colnames(x$contributions)[order]
  cells <- list(
    column = shorten(column, 30), "moves by" = format_measure(size[order]),
    "at most down" = format_signed(apply(x$contributions[, order, drop = FALSE], 2, min)),
    "at most up" = format_signed(apply(x$contributions[, order, drop = FALSE], 2, max)),
    "95 % of sampling" = sprintf("+-%s", format_measure(1.96 * sqrt(colMeans(x$errors[, order, drop = FALSE]^2))))
  )
  more <- ncol(x$contributions) - length(order)
  c(
    cli::style_bold(sprintf("What moved the predictions for %s", counted(nrow(x$rows), "row"))), "",
    as_text_table(cells, 1), if (more > 0) sprintf("  (and %s that move them less)", counted(more, "column")), "",
    paragraphs(c(
      sprintf(
        "The mean size of the moves over these rows, from the mean prediction for %s; in each row they add up.",
        counted(x$others, "other row")
      ),
      if (x$without > 0) sprintf("%s without a prediction left out.", counted(x$without, "row")),
      "as.data.frame() gives a row for each."
    ))
  )
}
