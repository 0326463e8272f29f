# The part of a model's print that says who taught it.

# Who taught the network, and what that was good for.
distilled_text <- function(d) {
  ensemble <- if (d$teacher$members > 1) sprintf(", an ensemble of %d", as.integer(d$teacher$members)) else ""
  teacher <- sprintf("%s%s, %s", d$teacher$wiring, ensemble, counted(d$teacher$parameters, "parameter"))
  heat <- if (is.null(d$temperature)) "" else sprintf("at temperature %s, ", format_number(d$temperature))
  alone <- if (d$unlabelled) {
    sprintf("; %s without a target by the teacher alone", counted(d$unlabelled, "row"))
  }
  taught <- paste0(heat, "labels count for ", format_percent_short(d$label_share), alone)
  lines <- c(indented("teacher", teacher), indented("taught", taught))
  if (!is.null(d$cost)) lines <- c(lines, indented("cost", distilling_cost_text(d$cost)))
  if (is.null(d$comparison)) return(lines)
  title <- sprintf("  Teacher and student on the same %d folds", as.integer(d$k))
  rows <- if (d$retrained) {
    "The teacher was trained anew inside each fold, so no row is evaluated that it has learned from."
  } else {
    "The teacher has learned from none of these rows."
  }
  c(lines, "", cli::style_bold(title), "", comparison_text(d), "", paragraphs(c(rows, taught_sentence(d))))
}

comparison_text <- function(d) {
  t <- main_measures(d$comparison)
  apart <- ifelse(is.na(t$difference), "", difference_cell(t$difference, t$low, t$high))
  columns <- list(
    measure = said_once(t$measure), network = t$network, "mean of folds" = format_measure(t$mean),
    spread = format_measure(t$sd), "from labels alone" = apart
  )
  text_table(columns, right = c(3, 4))
}

taught_sentence <- function(d) {
  t <- main_measures(d$comparison)
  own <- t[t$network == "student, taught", ][1, ]
  better <- if (own$measure %in% c("accuracy")) own$difference > 0 else own$difference < 0
  clear <- own$low > 0 || own$high < 0
  luck <- if (clear || !better) "" else "; but the interval of the difference holds 0, so that may be luck"
  verdict <- if (better) "better" else "no better"
  what <- "By %s the taught student is %s than the one taught by labels alone%s."
  sprintf(what, own$measure, verdict, luck)
}

# What one network in the place of several costs, and what it gains.
distilling_cost_text <- function(cost) {
  sprintf(
    "a test loss of %s in place of %s, and %s microseconds a row in place of %s (%s parameters, not %s)",
    format_measure(cost$loss[2]), format_measure(cost$loss[1]), signif(cost$microseconds[2], 2),
    signif(cost$microseconds[1], 2), format_count(cost$parameters[2]), format_count(cost$parameters[1])
  )
}
