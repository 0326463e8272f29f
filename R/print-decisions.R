# What decisions come to, as lines and as cells of tables. Each is empty where an appraisal has no class that decisions
# are about, or the brief says nothing of them.

decisions_text <- function(x) {
  if (!predicts_classes(x$task) || is.null(class_decided_on(x))) return(NULL)
  benefits <- net_benefit_cells(x)
  c(
    "", diagnostic_heading(x), as_text_table(diagnostic_cells(x), 1),
    if (!is.null(benefits)) c("", net_benefit_heading(x), as_text_table(benefits, 1)),
    paragraphs(c(if (length(x$decisions)) "", top_in_words(x), profit_in_words(x), pays_advice(x)))
  )
}

class_decided_on <- function(x) x$decisions$class %||% decided_class(x)

# The rule in force, for whoever reads a table of classes predicted.
rule_in_force <- function(x) {
  if (!is.null(x$decision)) return(paste0(decision_line(x$decision), "."))
  if (x$weighted) return("The class with the highest weighted score is predicted.")
  "The likeliest class is predicted."
}

diagnostic_heading <- function(x) {
  c(sprintf("How right it is about \"%s\"", class_decided_on(x)), wrapped(rule_in_force(x), 2))
}

diagnostic_cells <- function(x) {
  found <- diagnostic_accuracy(x)
  cells <- list(
    found$measure, value = format_share(found$value), interval_cell(found$low, found$high),
    rows = sprintf("%s of %s", format_weighted_count(found$right), format_weighted_count(found$of))
  )
  names(cells)[c(1, 3)] <- c(" ", interval_heading(x$level))
  if (!is.null(found$linear)) cells$linear <- format_share(found$linear)
  cells
}

net_benefit_heading <- function(x) {
  sprintf("Net benefit of treating a row as \"%s\" from a probability on", class_decided_on(x))
}

# NULL where the brief names no thresholds.
net_benefit_cells <- function(x) {
  if (length(x$decisions$thresholds) == 0) return(NULL)
  found <- net_benefit(x)
  of <- function(strategy) found[found$strategy == strategy, ]
  own <- of("network")
  cells <- list(
    threshold = format_each_short(own$threshold), network = format_net_benefit(own$net_benefit),
    sprintf("%s to %s", format_net_benefit(own$low), format_net_benefit(own$high))
  )
  names(cells)[3] <- interval_heading(x$level)
  if ("linear" %in% found$strategy) cells$linear <- format_net_benefit(of("linear")$net_benefit)
  c(cells, list("all rows" = format_net_benefit(of("all")$net_benefit)))
}

format_net_benefit <- function(x) formatC(x, digits = 4, format = "f")

# "Of the 50 rows with the highest probability of "yes" 21 are (95 % interval 15 to 28), 6 by chance."
top_in_words <- function(x) {
  if (length(x$decisions$top) == 0) return(NULL)
  n <- x$decisions$top[x$decisions$top <= sum(x$weight)]
  if (length(n) == 0) {
    none <- "The brief's `decisions.top` is %s, and only %s rows are evaluated."
    return(sprintf(none, format_count(min(x$decisions$top)), format_count(floor(sum(x$weight)))))
  }
  found <- top_rows(x, n)
  count <- function(value) vapply(value, function(one) format_weighted_count(round(one)), "")
  sprintf(
    "Of the %s rows with the highest probability of \"%s\" %s are (%s %s to %s); by chance %s would be%s.",
    format_each_count(found$n), found$class, count(found$found), interval_heading(x$level), count(found$low),
    count(found$high), count(found$chance),
    if (is.null(found$linear)) "" else sprintf(", by the linear model %s", count(found$linear))
  )
}

profit_in_words <- function(x) {
  if (length(x$decisions$gains) == 0) return(NULL)
  found <- profit_curve(x, thresholds = numeric())
  best <- signif(attr(found, "best_threshold"), 3)
  c(
    sprintf(
      "%s the predictions earn %s on these rows (%s %s to %s), %s a row; %s.",
      gains_in_words(attr(found, "gains"), found$class), format_money(found$profit), interval_heading(x$level),
      format_money(found$low), format_money(found$high),
      format_measure(found$a_row), enumerate(c(
        if (!is.null(found$linear)) sprintf("the linear model %s", format_money(found$linear)),
        sprintf("treating every row as \"%s\" %s", found$class, format_money(found$all)),
        sprintf("treating none so %s", format_money(found$none))
      ))
    ),
    sprintf(
      "If the probabilities are right, treating a row as \"%s\" pays from a probability of %s on.", found$class,
      format_short(best)
    )
  )
}

# Where another rule is in force than the gains ask for.
pays_advice <- function(x) {
  if (length(x$decisions$gains) == 0) return(NULL)
  best <- signif(best_threshold(whole_gains(x$decisions$gains)), 3)
  if (isTRUE(abs(x$decision$rule$threshold - best) < 0.005 * best)) return(NULL)
  call <- sprintf("decide(model, threshold = %s)", format_number(best))
  advice_here(sprintf("To predict by it: %s", call))
}

# "With 120 for each "yes" that is found and -15 for each false alarm"
gains_in_words <- function(gains, class) {
  gains <- gains[gains != 0]
  what <- c(
    found = "for each \"%s\" that is found", false_alarm = "for each false alarm", missed = "for each that is missed",
    left_alone = "for each row rightly left alone"
  )
  said <- sub("%s", class, what[names(gains)], fixed = TRUE)
  paste("With", enumerate(paste(format_money(gains), said)))
}

format_money <- function(x) {
  vapply(x, function(one) {
    digits <- if (abs(one) >= 100) 0 else 2
    format(round(one, digits), big.mark = ",", scientific = FALSE, trim = TRUE)
  }, "")
}
