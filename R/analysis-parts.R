# Which rows are for training, validation, calibration and test.

# A character vector along the table's rows: a part's name, or NA for rows that are set aside.
split_rows <- function(a) {
  usable <- is.na(a$aside)
  how <- a$hold_out
  given <- how$parts
  part <- if (is.null(given)) drawn_parts(a, how, usable) else ifelse(usable, given_parts(a$table[[given]], given), NA)
  if (!is.null(given)) keep_groups_whole(a$group, part, usable & !is.na(part), sprintf("The column %s", quoted(given)))
  check_parts(a, how, part)
  part
}

# Why a row belongs to no part: "weight 0", "filtered", "no target", "missing value", or NA for rows that do belong to
# one.
set_aside <- function(a) {
  why <- rep(NA_character_, nrow(a$table))
  dropping <- Filter(function(column) a$prepare[[column]]$missing == "drop", input_columns(a))
  for (column in dropping) why[is.na(a$table[[column]])] <- "missing value"
  for (column in a$target$columns) why[is.na(a$table[[column]])] <- "no target"
  condition <- a$brief[["keep_rows"]]
  if (!is.null(condition)) why[!rows_where(condition, a$table, "keep_rows")] <- "filtered"
  if (!is.null(a$weight)) why[a$weight == 0] <- "weight 0"
  why
}

given_parts <- function(x, column) {
  label <- as_label(x)
  unknown <- setdiff(label[!is.na(label)], part_names)
  if (length(unknown)) {
    what <- sprintf("The column %s, which gives the parts, holds %s.", quoted(column), describe(unknown[1]))
    fail(what, sprintf("Its values are %s, or missing.", enumerate(part_names, "or")))
  }
  label
}

# Conditions first; the other rows are dealt out by the shares of the parts that have no condition.
drawn_parts <- function(a, how, usable) {
  part <- rep(NA_character_, nrow(a$table))
  shares <- c(test = how$test, calibration = how$calibration, validation = how$validation)
  conditions <- drop_nulls(lapply(stats::setNames(nm = names(shares)), function(name) how[[paste0(name, "_where")]]))
  for (name in names(conditions)) {
    holds <- rows_where(conditions[[name]], a$table, sprintf("`hold_out.%s_where`", name))
    part[usable & is.na(part) & holds] <- name
    shares[[name]] <- 0
  }
  if (length(conditions)) keep_groups_whole(a$group, part, usable, "The conditions of `hold_out`")
  rest <- which(usable & is.na(part))
  part[rest] <- dealt_out(a, rest, shares, how$by, how$seed, bands_for(how, length(rest)))
  part
}

keep_groups_whole <- function(group, part, usable, what) {
  if (is.null(group)) return()
  parts <- ifelse(is.na(part), "rest", part)
  of <- tapply(parts[usable], group[usable], function(p) length(unique(p)))
  torn <- names(of)[of > 1]
  if (length(torn) == 0) return()
  verb <- if (startsWith(what, "The column")) "parts" else "part"
  more <- if (length(torn) > 1) sprintf(" and those of %s more", counted(length(torn) - 1, "group")) else ""
  fail(
    sprintf("%s %s the rows of the group %s%s.", what, verb, describe(torn[1]), more),
    paste(
      "Rows that belong together must be in one part:",
      "part them by something that the group shares, or leave the group out."
    )
  )
}

# Tenths of the ranks; fewer, wider bands where a tenth would be too few rows to deal from. Test rows are drawn in the
# same way whatever other parts there are.
bands_for <- function(how, rows) {
  shares <- if (how$test > 0) how$test else c(how$validation, how$calibration)
  min(10, max(1, floor(rows * min(shares[shares > 0], 1))))
}

check_parts <- function(a, how, part) {
  y <- a$table[[a$target$columns[1]]]
  asked <- function(name) {
    if (!is.null(how$parts)) return(name %in% part)
    how[[name]] > 0 || !is.null(how[[paste0(name, "_where")]])
  }
  wanted <- c("training", Filter(asked, part_names[-1]))
  n <- tabulate(match(part, wanted), length(wanted))
  if (any(n == 0)) {
    rows <- counted(sum(!is.na(y)), "row")
    fail(
      sprintf("The %s part would have no rows: there are %s with a target.", wanted[which(n == 0)[1]], rows),
      "Change the shares or conditions of `hold_out`, or get more rows."
    )
  }
  if (has_classes(a$target)) check_part_classes(class_places(y, a$target$classes), a$target$classes, part, wanted)
}

# `class` is each row's place among the classes.
check_part_classes <- function(class, classes, part, wanted) {
  counts <- tabulate(class[!is.na(part)], length(classes))
  few <- which(counts < length(wanted))
  if (length(few)) {
    has <- counted(counts[few[1]], "row")
    needs <- sprintf("%s (%s)", counted(length(wanted), "part"), enumerate(wanted))
    fail(
      sprintf("The class %s has %s for %s.", describe(classes[few[1]]), has, needs),
      "Put rare classes together, leave its rows out, or hold out fewer parts."
    )
  }
  without <- classes[tabulate(class[part %in% "training"], length(classes)) == 0]
  if (length(without)) {
    fail(
      sprintf("No training row is of the class %s.", describe(without[1])),
      "Hold out fewer rows, or try another `hold_out.by` or seed."
    )
  }
}
