#' Look at a table
#'
#' @param data A data frame, or the path of a CSV file.
#' @param target The column to predict, if it is known.
#' @param ... Not used.
#' @return A look: an object of class `hylomath_look` with `columns` (a data frame with a row for each column: `column`,
#'   `kind`, `gaps`, `distinct`, and `values`, the range or the commonest levels), `n`, `target`, `shares` (classes of the
#'   target, their rows and shares) and `notes`.
#' @examples
#' look(kilns, target = "outcome")
#' @export
look <- function(data, ...) UseMethod("look")

#' @rdname look
#' @export
look.data.frame <- function(data, target = NULL, ...) {
  rlang::check_dots_empty()
  if (!is.null(target)) check_is_column(data, target, "target")
  data <- as_table(data)
  kinds <- guess_kinds(data)
  columns <- do.call(rbind, lapply(names(data), function(column) look_at(data[[column]], column, kinds[[column]])))
  shares <- if (!is.null(target)) look_at_target(data[[target]])
  structure(
    list(n = nrow(data), columns = columns, target = target, shares = shares, notes = look_notes(columns, shares, target)),
    class = "hylomath_look"
  )
}

#' @export
look.character <- function(data, ...) look(read_table(data), ...)

#' @export
look.default <- function(data, ...) fail(sprintf("look() takes a data frame or the path of a CSV file, not %s.", describe_class(data)))

look_at <- function(x, column, kind) {
  data.frame(
    column = column, kind = kind, gaps = sum(is.na(x)), distinct = length(unique(x[!is.na(x)])),
    values = describe_values(x[!is.na(x)], kind)
  )
}

describe_values <- function(x, kind) {
  if (length(x) == 0 || kind == "other") return("")
  if (is.numeric(x) && kind != "flag") {
    return(sprintf("%s to %s, median %s", format_short(min(x)), format_short(max(x)), format_short(stats::median(x))))
  }
  if (inherits(x, c("Date", "POSIXct"))) return(paste(format(min(x)), "to", format(max(x))))
  count <- sort(table(as_label(x)), decreasing = TRUE)
  if (kind %in% c("id", "text")) return(paste0(as_label(x[1]), ", ", as_label(x[length(x)]), ", ..."))
  shown <- utils::head(count, 4)
  text <- paste(names(shown), format_percent_short(as.numeric(shown) / length(x)), collapse = ", ")
  if (length(count) > 4) paste0(text, ", and ", length(count) - 4, " more") else text
}

look_at_target <- function(y) {
  present <- y[!is.na(y)]
  if (is.numeric(present) && length(unique(present)) > 20) return(NULL)
  count <- sort(table(as_label(present)), decreasing = TRUE)
  if (length(count) > 50) return(NULL)
  data.frame(class = names(count), rows = as.integer(count), share = as.numeric(count) / length(present))
}

look_notes <- function(columns, shares, target) {
  inputs <- columns[!columns$column %in% target, ]
  ids <- inputs$column[inputs$kind == "id"]
  empty <- inputs$column[inputs$kind == "missing"]
  constant <- inputs$column[inputs$kind == "constant"]
  join_notes(
    if (!is.null(shares) && max(shares$share) >= 0.9) {
      new_note(
        "nearly_one_class",
        sprintf("%s of the rows with a target are \"%s\": always saying so would be right that often.", format_percent(max(shares$share)), shares$class[which.max(shares$share)]),
        "Judge a network by balanced accuracy and by each class's recall, and try class_weights: even."
      )
    },
    if (length(ids)) {
      new_note("id_like", sprintf("%s has another value in every row.", enumerate(ids)), "It names rows and tells nothing about new ones; a brief doesn't use it as an input.")
    },
    if (length(empty)) {
      new_note("no_values", sprintf("%s has no values.", enumerate(empty)), "Drop it with set_columns(drop = ...).")
    },
    if (length(constant)) {
      new_note("constant", sprintf("%s always has the same value.", enumerate(constant)), "A brief doesn't use it as an input.")
    }
  )
}

format_short <- function(x) format(signif(x, 4), big.mark = ",", scientific = NA, trim = TRUE, digits = 4)

format_percent_short <- function(x) paste0(ifelse(x < 0.1, signif(100 * x, 2), round(100 * x)), " %")
