#' The smallest change that turns a prediction
#'
#' Which values of the columns that one may change would have to be others, and how little, for a row to be predicted as
#' wished (Wachter, Mittelstadt and Russell 2018); or that no such change was found within what was seen. It says what
#' the network predicts, not what would happen if somebody changed the thing itself.
#'
#' A change counts by the distance of each number as a multiple of its median deviation over the rows, and 1 for a
#' category. Looked at are values of single columns, of pairs of the twelve columns that move the prediction most, and
#' rows that are predicted as wished, whose values are given to the row; each of these is then taken back as far as the
#' prediction allows, column by column. All values stay within the range, or among the levels, of the training rows.
#'
#' @inheritParams try_row
#' @param columns The columns that may be changed; the default is all that the network takes in.
#' @param to The class that is to be predicted, or the range of numbers, as in `c(-Inf, 20)`; of several targets a list
#'   of one range by its name. Of two classes the default is the other one, of more any other.
#' @param most How many ways are given, each of other columns.
#' @return An object of class `hylomath_smallest_change`: `changes` is a data frame of `way`, `column`, `as_it_is` and
#'   `changed_to` (text) and `distance`, a row a column that changes, the smallest way first; `rows` are the changed
#'   rows themselves, a row a way, and `predictions` what is predicted as it is and for each way. Without rows where no
#'   way was found. [as.data.frame()] gives `changes`.
#' @section Errors: A row that is predicted as wished already, or that has no prediction; numbers without `to`; a class
#'   or column that is not there.
#' @references Wachter, Mittelstadt and Russell (2018) \doi{10.2139/ssrn.3063289}.
#' @seealso [try_row()] for values of one's own.
#' @examples
#' set.seed(1)
#' model <- brief(kilns, target = "outcome") |> quick() |> train(progress = "none")
#' smallest_change(model, kilns, 5, columns = c("peak_c", "soak_min", "ramp_c_h"))
#' @export
smallest_change <- function(model, data, row, columns = NULL, to = NULL, most = 3, ...) UseMethod("smallest_change")

#' @export
smallest_change.hylomath_model <- function(model, data, row, columns = NULL, to = NULL, most = 3, ...) {
  check_others(...)
  check_table_given(!missing(data))
  check_row_given(!missing(row))
  type_count(20)(most, "most")
  predictor <- model$predictor
  target <- predictor$target
  needed <- needed_columns(predictor)
  if (!is.null(columns)) {
    type_texts()(columns, "columns")
    check_effect_inputs(columns, needed)
  }
  columns <- columns %||% setdiff(needed, target$exposure)
  data <- as_table(data)
  new_rows(predictor$preparation, data)
  id <- roles_of(model)$id
  own <- one_row(row, data, id)
  name <- row_name(row, own, id)
  own <- plain_texts(own[needed])
  now <- given_predictions(predictor, own)
  check_is_predicted(now)
  wish <- wished(target, to, now)
  if (wish$holds(now)) fail(sprintf("The row is already predicted as %s.", wish$text))
  seen <- plain_texts(explained_table(model, data, most_seen)[needed])
  search <- list(
    holds = function(rows) wish$holds(given_predictions(predictor, rows)) & unusual_rows(model, rows)$rows %in% usual,
    own = own, columns = columns, steps = Map(column_step, seen[columns], own[columns]),
    moves = function(rows) as.matrix(plain_predictions(predictor, rows))
  )
  usual <- allowed_unusual(unusual_rows(model, own)$rows)
  found <- changed_rows(search, seen, given_predictions(predictor, seen), wish)
  ways <- smallest_ways(search, found, most)
  predictions <- given_predictions(predictor, rbind(own, ways))
  new_result(
    list(
      changes = changes_of(search, ways), rows = ways, predictions = predictions, row = name, columns = columns,
      wish = wish$text, rule = rule_text(predictor), target = target$columns, task = target$task
    ),
    "smallest_change"
  )
}

#' @export
smallest_change.default <- function(model, ...) wrong_object("smallest_change", "a model", model)

# Rows of the table that are looked at, and how many of them, and of the changes that were found, are gone on with.
most_seen <- 2000
most_given <- 300
most_refined <- 24
values_alone <- 40
values_paired <- 10
most_columns_paired <- 12

# Factors as their texts, since values come from other rows.
plain_texts <- function(table) {
  for (column in names(table)) {
    if (has_own_order(table[[column]])) table[[column]] <- as.character(table[[column]])
  }
  table
}

# What is wished: its words, and a function that says of predictions whether it holds.
wished <- function(target, to, now) {
  if (has_classes(target)) {
    if (!is.null(to)) {
      to <- predictions_to_explain(target, to)
      if (length(to) != 1) fail("`to` must be one class.")
    } else if (length(target$classes) == 2) {
      to <- setdiff(target$classes, as_label(now$prediction))
    }
    if (is.null(to)) {
      own <- as_label(now$prediction)
      return(list(
        text = sprintf("another class than \"%s\"", own),
        holds = function(p) !is.na(p$prediction) & !as_label(p$prediction) %in% own
      ))
    }
    return(list(text = sprintf("\"%s\"", to), holds = function(p) as_label(p$prediction) %in% to))
  }
  of <- if (is.list(to)) names(to) else if (length(target$columns) == 1) target$columns
  range <- if (is.list(to)) unlist(to) else to
  if (length(of) != 1 || !of %in% target$columns || !is.numeric(range) || length(range) != 2 || anyNA(range) ||
        range[1] > range[2]) {
    several <- length(target$columns) > 1
    example <- if (several) sprintf("list(%s = c(-Inf, 20))", column_text(target$columns[1])) else "c(-Inf, 20)"
    fail("`to` must say in which range the prediction is to be.", sprintf("Write it as %s.", example))
  }
  place <- match(of, target$columns)
  list(
    text = range_text(range),
    holds = function(p) !is.na(p[[place]]) & p[[place]] >= range[1] & p[[place]] <= range[2]
  )
}

range_text <- function(range) {
  if (is.infinite(range[1])) return(sprintf("at most %s", format_measure(range[2])))
  if (is.infinite(range[2])) return(sprintf("at least %s", format_measure(range[1])))
  sprintf("%s to %s", format_measure(range[1]), format_measure(range[2]))
}

# A row that is unusual in some columns may stay so in any of them, and become so in none.
allowed_unusual <- function(unusual) {
  columns <- strsplit(unusual, ", ", fixed = TRUE)[[1]]
  if (length(columns) > 6) return(c("", unusual))
  sets <- unlist(lapply(seq_along(columns), function(k) {
    utils::combn(columns, k, paste, collapse = ", ")
  }))
  c("", sets)
}

# What a column's values are measured in: `scale`, by which a distance is divided, and `unit`, the multiple that its
# numbers, the row's `own` among them, come in; NULL for categories.
column_step <- function(x, own) {
  if (!is.numeric(x) && !is_moment(x)) return(NULL)
  moment <- inherits(x, "POSIXct")
  x <- as.numeric(x[!is.na(x)])
  scale <- stats::mad(x, constant = 1)
  if (!(scale > 0)) scale <- mean(abs(x - stats::median(x)))
  x <- c(x, as.numeric(own[!is.na(own)]))
  digits <- if (moment) 0 else Find(function(d) all(abs(x - round(x, d)) < 1e-9 * pmax(1, abs(x))), 0:6)
  list(scale = if (isTRUE(scale > 0)) scale else 1, unit = if (is.null(digits)) 0 else 10^-digits)
}

# The distance of each row from the row as it is, by column.
distances_from <- function(search, rows) {
  distances <- vapply(search$columns, function(column) {
    own <- search$own[[column]]
    x <- rows[[column]]
    step <- search$steps[[column]]
    apart <- if (is.null(step) || is.na(own)) {
      as.numeric(!as_label(x) %in% as_label(own))
    } else {
      abs(as.numeric(x) - as.numeric(own)) / step$scale
    }
    ifelse(is.na(apart), 1, apart)
  }, numeric(nrow(rows)))
  matrix(distances, nrow(rows))
}

# The row so many times.
own_rows <- function(search, n) search$own[rep(1, n), , drop = FALSE]

# Changes that give the wished prediction: by other values of single columns and of pairs, and by what rows have that
# are predicted so.
changed_rows <- function(search, seen, predictions, wish) {
  values <- lapply(seen[search$columns], function(x) {
    x <- x[!is.na(x)]
    if (is.numeric(x) || is_moment(x)) sort(unique(x)) else unique(x)
  })
  spread_out <- function(x, most) x[unique(round(seq(1, length(x), length.out = min(most, length(x)))))]
  one <- lapply(search$columns, function(column) {
    x <- spread_out(values[[column]], values_alone)
    rows <- own_rows(search, length(x))
    rows[[column]] <- x
    rows
  })
  two <- lapply(pairs_that_move(search, one), function(pair) {
    first <- spread_out(values[[pair[1]]], values_paired)
    second <- spread_out(values[[pair[2]]], values_paired)
    rows <- own_rows(search, length(first) * length(second))
    rows[[pair[1]]] <- rep(first, length(second))
    rows[[pair[2]]] <- rep(second, each = length(first))
    rows
  })
  like <- seen[which(wish$holds(predictions)), , drop = FALSE]
  like <- like[utils::head(order(rowSums(distances_from(search, like))), most_given), , drop = FALSE]
  given <- own_rows(search, nrow(like))
  given[search$columns] <- like[search$columns]
  tried <- do.call(rbind, c(one, two, list(given)))
  tried <- tried[stats::complete.cases(tried[search$columns]), , drop = FALSE]
  tried[search$holds(tried), , drop = FALSE]
}

# The pairs of the columns whose values alone move the prediction most.
pairs_that_move <- function(search, one) {
  if (length(one) < 2) return(NULL)
  spread <- vapply(one, function(rows) {
    predictions <- search$moves(rows)
    max(0, apply(predictions, 2, max) - apply(predictions, 2, min), na.rm = TRUE)
  }, 0)
  columns <- search$columns[utils::head(order(-spread), most_columns_paired)]
  utils::combn(columns, 2, simplify = FALSE)
}

# The smallest of them, each taken back as far as the prediction allows; of each set of columns the smallest alone.
smallest_ways <- function(search, found, most) {
  if (nrow(found) == 0) return(found)
  ranked <- function(rows) {
    distances <- distances_from(search, rows)
    set <- apply(distances > 0, 1, function(changed) paste(which(changed), collapse = " "))
    order <- order(rowSums(distances))
    rows[order[!duplicated(set[order])], , drop = FALSE]
  }
  ways <- utils::head(ranked(found), most_refined)
  for (round in 1:2) {
    ways <- with_columns_back(search, ways)
    ways <- with_numbers_back(search, ways)
  }
  ways <- ranked(ways)
  sets <- lapply(seq_len(nrow(ways)), function(i) which(distances_from(search, ways[i, , drop = FALSE]) > 0))
  # a way that changes more columns than another one, and all of its, is none of its own
  larger <- vapply(seq_along(sets), function(i) {
    any(vapply(seq_len(i - 1), function(j) all(sets[[j]] %in% sets[[i]]), NA))
  }, NA)
  utils::head(ways[!larger, , drop = FALSE], most)
}

# Each way with columns as they were, as long as the prediction holds; the column that is farthest away first.
with_columns_back <- function(search, ways) {
  repeat {
    distances <- distances_from(search, ways)
    at <- which(distances > 0, arr.ind = TRUE)
    tried <- ways[at[, 1], , drop = FALSE]
    for (j in seq_along(search$columns)) {
      rows <- which(at[, 2] == j)
      if (length(rows)) tried[[search$columns[j]]][rows] <- search$own[[search$columns[j]]]
    }
    holds <- search$holds(tried)
    if (!any(holds)) return(ways)
    back <- distances[at] * holds
    for (i in unique(at[holds, 1])) {
      best <- which(at[, 1] == i)
      ways[i, ] <- tried[best[which.max(back[best])], ]
    }
  }
}

# Each number halfway back again and again, as long as the prediction holds, in the units that its column comes in.
with_numbers_back <- function(search, ways) {
  for (column in search$columns[order(-colMeans(distances_from(search, ways)))]) {
    step <- search$steps[[column]]
    if (is.null(step) || is.na(search$own[[column]])) next
    own <- as.numeric(search$own[[column]])
    far <- as.numeric(ways[[column]])
    near <- rep(own, length(far))
    for (halving in 1:25) {
      middle <- (near + far) / 2
      if (step$unit > 0) middle <- own + sign(far - own) * ceiling(abs(middle - own) / step$unit - 1e-9) * step$unit
      open <- abs(far - near) > max(step$unit, 1e-6 * step$scale) * (1 + 1e-9)
      if (!any(open)) break
      tried <- ways
      tried[[column]] <- as_column_number(middle, ways[[column]])
      holds <- search$holds(tried)
      far <- ifelse(open & holds, middle, far)
      near <- ifelse(open & !holds, middle, near)
    }
    # a sum of units is a little off
    if (step$unit > 0) far <- round(far, max(0, round(-log10(step$unit))))
    ways[[column]] <- as_column_number(far, ways[[column]])
  }
  ways
}

as_column_number <- function(x, like) if (is_moment(like)) as_moment_like(x, like) else x

changes_of <- function(search, ways) {
  each <- lapply(seq_len(nrow(ways)), function(i) {
    distance <- distances_from(search, ways[i, , drop = FALSE])[1, ]
    changed <- order(-distance)[seq_len(sum(distance > 0))]
    column <- search$columns[changed]
    text <- function(row) vapply(column, function(one) format_value(row[[one]]), "", USE.NAMES = FALSE)
    data.frame(
      way = i, column = column, as_it_is = text(search$own), changed_to = text(ways[i, , drop = FALSE]),
      distance = distance[changed]
    )
  })
  none <- data.frame(way = 0L, column = "", as_it_is = "", changed_to = "", distance = 0)[0, ]
  do.call(rbind, c(list(none), each))
}

#' @export
as.data.frame.hylomath_smallest_change <- function(x, ...) x$changes

#' @export
format.hylomath_smallest_change <- function(x, ...) {
  the <- if (is.null(x$row)) "The row" else sprintf("Row %s", x$row)
  now <- predicted_text(x, 1)
  warning <- "This is what the network predicts, not what would happen if the values were changed."
  if (nrow(x$changes) == 0) {
    what <- "%s is predicted as %s, and no change of %s within what was seen was found that makes it %s."
    return(paragraphs(c(sprintf(what, the, now, columns_in_words(x$columns), x$wish), x$rule)))
  }
  first <- x$changes[x$changes$way == 1, ]
  c(
    cli::style_bold(sprintf(
      "%s is predicted as %s, and with %s as %s", the, now, enumerate(paste(first$column, first$changed_to)),
      predicted_text(x, 2)
    )), "",
    as_text_table(changes_cells(x), 4), "", paragraphs(c(x$rule, warning))
  )
}

# A line for each column that changes, with the prediction at the first of its way.
changes_cells <- function(x) {
  ways <- x$changes
  begins <- !duplicated(ways$way)
  predicted <- vapply(ways$way + 1, function(i) predicted_text(x, i), "")
  list(
    way = ifelse(begins, ways$way, ""), column = shorten(ways$column, 30), "as it is" = ways$as_it_is,
    "changed to" = ways$changed_to, "then predicted" = ifelse(begins, predicted, "")
  )
}

# The prediction of a row of them, with its probability.
predicted_text <- function(x, i) {
  p <- x$predictions[i, , drop = FALSE]
  if (!predicts_classes(x$task)) return(enumerate(format_measure(unlist(p[seq_along(x$target)], use.names = FALSE))))
  class <- as_label(p$prediction)
  sprintf("\"%s\" (%s)", class, format_measure(p[[paste0("probability_", class)]]))
}

columns_in_words <- function(columns) {
  if (length(columns) <= 6) enumerate(columns) else counted(length(columns), "column")
}
