# Columns that name units with several rows each: a patient's number beside each visit. They are no quantity and no
# level: what is learned of them is of no use for new units, and rows of one unit in two parts of a split are no test of
# each other.

# Of some columns of a table those that name units: their values come again a few times each. `kinds` are the guessed
# ones of all columns, a list.
unit_columns <- function(columns, table, kinds) {
  Filter(function(column) names_units(table[[column]], column, table, kinds), columns)
}

fewest_units_named <- 20
most_rows_a_unit <- 30

may_name_units <- function(x, kind) {
  if (!kind %in% c("count", "number", "category", "text") || has_own_order(x)) return(FALSE)
  x <- x[!is.na(x)]
  n <- length(x)
  if (n < 40 || (is.numeric(x) && any(x != round(x)))) return(FALSE)
  distinct <- length(unique(x))
  usual <- n / distinct
  distinct >= fewest_units_named && usual >= 1.05 && usual <= most_rows_a_unit &&
    max(tabulate(match(x, unique(x)))) <= max(5, 10 * usual)
}

names_units <- function(x, column, table, kinds) {
  known <- !is.na(x)
  # so many rows tell
  rows <- which(known)
  if (length(rows) > 20000) rows <- rows[seq_len(20000)]
  unit <- match(x[rows], unique(x[rows]))
  called <- grepl(unit_words, tolower(column), perl = TRUE)
  in_runs <- comes_in_runs(x[rows], unit)
  steady <- has_steady_columns(unit, x[rows], column, table[rows, , drop = FALSE], kinds)
  # what is measured has a middle, and may be the same for all of a household or a day
  if (is.numeric(x)) {
    spread <- is_spread_evenly(x[rows])
    named <- called && (steady || in_runs)
    return(!grepl(time_words, tolower(column)) && (named || spread && (steady || in_runs || called)))
  }
  shaped <- has_one_shape(unique(as_label(x[rows])))
  (shaped && (called || steady || in_runs || max(unit) > length(rows) / 10)) || (called && (steady || in_runs))
}

# Whole numbers, another in each row, under a name that says what they are: a customer's, drawn or given out.
names_rows <- function(x, kind, column) {
  called <- kind == "count" && grepl(unit_words, tolower(column), perl = TRUE) && !grepl(time_words, tolower(column))
  if (!called || length(x) < 20 || anyNA(x) || anyDuplicated(x)) return(FALSE)
  grepl(id_words, tolower(column), perl = TRUE) || is_spread_evenly(x)
}

# What columns that name units are called, in a few languages.
id_words <- "(^|[_. ])(id|ids|nr|nummer|numero|uuid|mrn)$|[a-z0-9][_. ](no|num)$"
# "NO" may be a gas, and a number or key a quantity
unit_words <- paste0(
  id_words, "|(^|[_. ])(no|num|number|code|key|ref)$|[a-z](id|nr)$|",
  "patient|subject|customer|client|member|account|household|person|kunde|student|employee|participant|serial"
)

time_words <- "day|week|month|year|hour|minute|time|date|age$|^age"

# Rows of a unit stand together though the units are in no order.
comes_in_runs <- function(x, unit) {
  again <- sum(duplicated(unit))
  if (again < 20 || !is.unsorted(x) || !is.unsorted(-xtfrm(x))) return(FALSE)
  sum(diff(unit) == 0) > 0.9 * again && mean(diff(as.numeric(xtfrm(x))) != 0 & diff(as.numeric(xtfrm(x))) < 0) > 0.02
}

# Whether another column says the same in all rows of nearly every unit, and other things of other units. A band that
# follows from a quantity does so too, but changes seldom along it.
has_steady_columns <- function(unit, x, column, table, kinds) {
  several <- unit %in% unit[duplicated(unit)]
  if (sum(several) < 40) return(FALSE)
  order <- order(xtfrm(x))
  others <- setdiff(names(kinds)[unlist(kinds) %in% c("category", "flag", "date")], column)
  any(vapply(others, function(other) {
    y <- match(table[[other]], unique(table[[other]]))
    values <- max(y)
    if (values < 2 || values > max(unit) / 3) return(FALSE)
    own <- unit[several]
    first <- y[several][match(own, own)]
    if (mean(first == y[several]) < 0.99) return(FALSE)
    expected <- sum((tabulate(y) / length(y))^2)
    changes <- sum(diff(y[order]) != 0)
    expected < 0.95 && changes > 0.2 * (1 - expected) * max(unit)
  }, NA))
}

# Numbers that were given out one after another are spread evenly; what is measured has a middle.
is_spread_evenly <- function(x) {
  distinct <- unique(x)
  bins <- tabulate(pmin(10, 1 + floor((distinct - min(distinct)) / max(diff(range(distinct)), 1) * 10)), 10)
  min(bins) > 0.5 * mean(bins)
}

# "P0123", "K-47": letters and digits in one pattern.
has_one_shape <- function(labels) {
  labels <- utils::head(labels, 1000)
  shape <- gsub("[0-9]+", "0", gsub("[[:alpha:]]+", "a", labels))
  found <- sort(table(shape), decreasing = TRUE)
  grepl("0", names(found)[1]) && grepl("a", names(found)[1]) && found[[1]] >= 0.95 * length(labels)
}
