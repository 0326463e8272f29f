#' Say what columns are for
#'
#' Every column that is of a usable kind and has no other role is an input.
#'
#' @param b A brief.
#' @param drop,keep Columns to leave out, or the only ones to take in; [tidyselect][tidyselect::language] is
#'   understood (`c(a, b)`, `starts_with("x")`, `!where(is.numeric)`). `keep` also brings dropped columns back.
#' @param id A column that names the rows. It is never an input; held-out rows are known by it.
#' @param group A column whose rows belong together (a patient's visits): they are held out together.
#' @param weight A column of case weights, not negative. Rows of weight 0 are set aside before anything is dealt out,
#'   and counted by [parts_of()].
#' @param weight_is What the weights mean. `"counts"`: a row of weight 2 stands for two rows, in everything that is
#'   learned, in every measure and in every interval. `"importance"`, the default: what is learned and measured is as
#'   for counts, a common factor of all weights changes nothing, and intervals go by the rows and the effective number
#'   that unequal weights leave of them.
#' @param order A column that orders the rows in time, for `hold_out(by = "ordered")`. It stays an input if it is a
#'   date or time.
#' @param exposure For counts: a column of positive numbers that the count is proportional to, such as days observed.
#'   Its logarithm is added to the network's linear output.
#'
#'   Any of these roles is taken away by `NULL`, such as `order = NULL`.
#' @param formats How numbers and dates of some columns of text are written, such as `c(price = "1.234,5", bought =
#'   "d.m.y")`, where it was not found; see [brief()].
#' @param kinds Named kinds that correct the guesses, such as `c(zone = "category")`; see [brief()] for the kinds.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A column that is not there, or a role for the target.
#' @examples
#' brief(recovery, target = "returned") |>
#'   set_columns(group = patient, drop = c(visit, sex))
#' @export
set_columns <- function(b, drop = NULL, keep = NULL, id = NULL, group = NULL, weight = NULL, order = NULL,
                        exposure = NULL, kinds = NULL, weight_is = NULL, formats = NULL, ...) {
  UseMethod("set_columns")
}

#' @export
set_columns.hylomath_brief <- function(b, drop = NULL, keep = NULL, id = NULL, group = NULL, weight = NULL,
                                       order = NULL, exposure = NULL, kinds = NULL, weight_is = NULL, formats = NULL,
                                       ...) {
  check_others(...)
  role <- function(quosure, name) select_columns(b, quosure, name, one = TRUE)
  roles <- list(
    id = role(rlang::enquo(id), "id"), group = role(rlang::enquo(group), "group"),
    weight = role(rlang::enquo(weight), "weight"), order = role(rlang::enquo(order), "order"),
    exposure = role(rlang::enquo(exposure), "exposure")
  )
  taken_away <- c(
    id = !missing(id), group = !missing(group), weight = !missing(weight), order = !missing(order),
    exposure = !missing(exposure)
  ) & vapply(roles, is.null, NA)
  for (name in names(which(taken_away))) b$columns[[name]] <- NULL
  if (taken_away[["weight"]]) b$columns$weight_is <- NULL
  dropped <- select_columns(b, rlang::enquo(drop), "drop")
  kept <- select_columns(b, rlang::enquo(keep), "keep")
  known <- names(b$columns$kinds)
  if (!is.null(kept)) {
    with_role <- c(b$target, unlist(b$columns[column_roles]), unlist(roles))
    dropped <- setdiff(union(setdiff(known, kept), dropped), with_role)
  } else if (!is.null(dropped)) {
    dropped <- union(b$columns$drop, dropped)
  }
  unknown <- setdiff(names(kinds), known)
  if (length(unknown)) {
    fail(sprintf("There is no column %s to give a kind.", quoted(unknown[1])), suggestion(unknown[1], known))
  }
  said <- list(weight_is = weight_is, drop = dropped, formats = formats, kinds = kinds)
  b <- set_section(b, "columns", c(roles, said))
  anew <- setdiff(names(formats), names(kinds))
  if (length(anew) == 0 || is.null(b$table)) return(b)
  b$columns$kinds[anew] <- NULL
  completed_anew(b)
}

#' @export
set_columns.default <- function(b, ...) wrong_object("set_columns", "a brief", b)

select_columns <- function(b, quosure, role, one = FALSE) {
  if (rlang::quo_is_null(quosure)) return(NULL)
  if (is.null(b$table)) {
    fail("This brief has no table yet, so its columns can't be chosen.", "Start from one with brief(data, target).")
  }
  table <- b$table
  # derived columns can be chosen too
  for (name in setdiff(names(b[["add_columns"]]), names(table))) table[[name]] <- NA
  chosen <- selected_names(quosure, table, role)
  if (one && length(chosen) != 1) fail(sprintf("`%s` takes one column, not %d.", role, length(chosen)))
  taken <- intersect(b$target, chosen)
  if (!role %in% c("keep", "only") && length(taken)) {
    fail(sprintf("%s is the target and can't be given to `%s` too.", quoted(taken[1]), role))
  }
  chosen
}

selected_names <- function(quosure, table, role) {
  tryCatch(
    names(tidyselect::eval_select(quosure, table)),
    vctrs_error_subscript_oob = function(e) {
      expression <- rlang::quo_get_expr(quosure)
      missing <- c(setdiff(all.vars(expression), names(table)), as.character(expression))[1]
      fail(sprintf("There is no column %s for `%s`.", quoted(missing), role), suggestion(missing, names(table)))
    }
  )
}
