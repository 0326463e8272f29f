# The part of a model's print that says who taught it.

# Who taught the network, and what that was good for.
distilled_text <- function(d) {
  teacher <- sprintf("%s%s, %s", d$teacher$wiring, if (d$teacher$members > 1) sprintf(", a committee of %d", as.integer(d$teacher$members)) else "", counted(d$teacher$parameters, "parameter"))
  lines <- c(
    indented("teacher", teacher),
    indented("taught", sprintf("%slabels count for %s%s", if (is.null(d$temperature)) "" else sprintf("at temperature %s, ", format_number(d$temperature)), format_percent_short(d$label_share), if (d$unlabelled) sprintf("; %s without a target by the teacher alone", counted(d$unlabelled, "row")) else ""))
  )
  if (is.null(d$comparison)) return(lines)
  c(lines, "", cli::style_bold(sprintf("  Teacher and student on the same %d folds", as.integer(d$k))), "", comparison_text(d), "", paragraphs(c(
    if (d$retrained) "The teacher was trained anew inside each fold, so no row is judged that it has learned from." else "The teacher has learned from none of these rows.",
    taught_sentence(d)
  )))
}

comparison_text <- function(d) {
  t <- main_measures(d$comparison)
  columns <- c(
    list(measure = ifelse(duplicated(t$measure), "", t$measure), network = t$network, "mean of folds" = format_measure(t$mean), spread = format_measure(t$sd)),
    list("from labels alone" = ifelse(is.na(t$difference), "", sprintf("%s (%s to %s)", format_signed(t$difference), format_signed(t$low), format_signed(t$high))))
  )
  text_table(columns, right = c(3, 4))
}

taught_sentence <- function(d) {
  t <- main_measures(d$comparison)
  own <- t[t$network == "student, taught", ][1, ]
  better <- if (own$measure %in% c("accuracy")) own$difference > 0 else own$difference < 0
  clear <- own$low > 0 || own$high < 0
  sprintf("By %s the taught student is %s than the one taught by labels alone%s.", own$measure, if (better) "better" else "no better", if (clear || !better) "" else "; but the interval of the difference holds 0, so that may be luck")
}
