#' Let intervals follow what has come since
#'
#' Intervals and sets of rows in order of time rest on the latest rows whose outcome is known. `adapt()` brings in rows
#' that came after training, once their outcome is known: the network stays as it is, its intervals grow where they
#' missed and shrink where they were wide.
#'
#' @param model A model whose rows have an order.
#' @param data A table with the target and the order column. Rows that the network has learned from, or that were
#'   brought in before, are left out.
#' @param ... Not used.
#' @return The model, with the rows among those its intervals rest on. A file of it holds their keys, outcomes and
#'   predictions, unless it is written without rows. At most 20,000 are kept, the latest.
#' @section Intervals in order of time: For each row in turn, the bound on the errors is a quantile of the last 250
#'   scores; which quantile follows how often bounds have held (Gibbs and Candes 2021, with their step of 0.005). The
#'   share of rows held so comes to the level over time, whatever changes; over a short stretch it can lie beside it.
#'   With a `gap` in [hold_out()] an outcome counts once the gap has passed. [appraise()] measures the share on the test
#'   rows, as they would have been predicted one after another. Case weights play no part, and rows of a group count
#'   each.
#' @section Errors: A model without an order; a table without the order column or the target; no row that is new.
#' @references Gibbs and Candes (2021), Adaptive conformal inference under distribution shift. Advances in Neural
#'   Information Processing Systems 34, 1660-1672.
#' @seealso [watch_model()], which says whether the network itself still holds.
#' @examples
#' set.seed(1)
#' model <- brief(crossings[1:4000, ], target = "passengers") |> set_columns(order = sails_on) |>
#'   hold_out(by = "ordered", calibration = 0.2, test = 0) |> quick() |> train(progress = "none")
#' later <- adapt(model, crossings[4001:4300, ])
#' head(predict(later, crossings[4301:4400, ], type = "interval"))
#' @export
adapt <- function(model, data, ...) UseMethod("adapt")

#' @export
adapt.hylomath_model <- function(model, data, ...) {
  check_others(...)
  order <- roles_of(model)$order
  if (!in_time(model)) {
    fail(
      "The rows of this model have no order, so its intervals don't follow time.",
      "Name a column by set_columns(order = ...) and train again."
    )
  }
  why <- conformal_obstacle(model, coverage_level)
  if (!is.null(why)) fail(why$what, why$try)
  data <- as_table(data)
  if (!order %in% names(data)) fail(sprintf("The table has no column %s, which orders the rows.", quoted(order)))
  new <- evaluated_in(model, data)
  check_order(new$when, seq_along(new$when), order)
  former <- drop_nulls(lapply(c("calibration", "out_of_fold", "test", "later"), evaluated_in_part, model = model))
  known <- unlist(lapply(former, facts_of_rows))
  fresh <- !facts_of_rows(new) %in% known
  if (!any(fresh)) fail("None of these rows is new to the model.", "Give rows that came after training.")
  kept <- c("key", "group", "observed", "weight", "when", "exposure", "predictions", "linear")
  new <- rows_of_each(new[intersect(kept, names(new))], fresh)
  later <- model$evaluated$later
  both <- intersect(names(new), names(later) %||% names(new))
  together <- bind_evaluated(drop_nulls(list(if (!is.null(later)) later[both], new[both])), 1)
  last <- utils::tail(order(together$when), most_history)
  model$evaluated$later <- rows_of_each(together, sort(last))
  model
}

#' @export
adapt.default <- function(model, ...) wrong_object("adapt", "a model", model)
