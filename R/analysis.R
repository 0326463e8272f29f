# A brief and its table, settled once. Whoever needs the working table, the parts of the rows, columns by role, the
# target or the regimen takes them from here; nobody behind it looks back at the table or the brief's settings.
#
# An analysis is an immutable list of class `hylomath_analysis`; n is the number of the table's rows.
#   brief      the brief without its table
#   raw        the table as it was given, n rows
#   roles      the columns by role: id, group, weight, order, exposure, and weight_is, see set_columns()
#   hold_out   how rows are held out, see hold_out()
#   rules      list(codes, derived), by which the working table is made of a raw one, see working-table.R
#   table      the working table, n rows: codes for missing taken out, derived columns put in
#   kinds      the inputs' kinds, a character vector named by column, in the table's order
#   prepare    for each input, by name, the settings that it is prepared by
#   target     what is predicted, see task.R
#   group      each row's group as text, NA for none; NULL without a group column
#   weight     each row's case weight, n numbers from 0, or NULL for 1 everywhere; those of importance are scaled so
#              that their mean over the rows that take part is 1
#   counts     whether a weight counts rows
#   exposure   each row's exposure, n numbers above 0, or NULL
#   aside      why a row takes no part, n texts: "weight 0", "filtered", "no target", "missing value", or NA for others
#   part       each row's part, n texts of part_names, or NA for rows that take no part; in a fold also "evaluated"
#   fold       where an ensemble is trained the fold that each training row is in, see analysis-ensemble.R; NULL
#              otherwise
#   single     why one network is trained, a text, or NULL where an ensemble is
#   wiring     the parsed wiring, see wiring-parse.R
#   regimen    the brief's regimen, whose "auto" regimen_in_force() settles once the preparation is learned
#
# Its invariants are written out in check_analysis().

# Everything that can be wrong with a brief and its table is found here, before any work is done.
settle <- function(b, table = b$table) {
  if (is.null(table)) fail("This brief has no table.", "Give it one first: see brief().")
  rules <- table_rules(b, table)
  working <- working_table(table, rules)
  check_targets(b, working)
  check_regimen(b, settled = TRUE)
  inputs <- brief_inputs(b)
  check_columns(b, working, inputs)
  target <- target_of(b)
  check_target_of_task(target, working[b$target])
  check_columns_of_rows(b, target, working)
  roles <- b$columns[intersect(c(column_roles, "weight_is"), names(b$columns))]
  a <- structure(list(
    brief = without_table(b), raw = table, roles = roles, hold_out = hold_out_in_force(b), rules = rules,
    table = working,
    kinds = unlist(b$columns$kinds[inputs]),
    prepare = lapply(stats::setNames(nm = inputs), function(column) settings_for(b, column)), target = target,
    group = column_as(working, roles$group, as_label), weight = column_as(working, roles$weight, as.numeric),
    counts = weights_count(b$columns), exposure = column_as(working, roles$exposure, as.numeric),
    aside = NULL, part = NULL, fold = NULL, single = NULL, wiring = parse_wiring(b$wiring), regimen = b[["regimen"]]
  ), class = "hylomath_analysis")
  a$aside <- set_aside(a)
  if (!a$counts) a$weight <- scaled_importance(a$weight, is.na(a$aside))
  check_analysis(dealt_analysis(a))
}

column_as <- function(table, column, convert) if (!is.null(column)) convert(table[[column]])

# ---- invariants ---------------------------------------------------------------------------------------------------

# The analysis, or an error that names what does not hold. Nothing a user gives can break these; a change to the code
# can.
check_analysis <- function(a) {
  n <- nrow(a$raw)
  holds <- c(
    "the brief has no table" = is.null(a$brief$table),
    "the working table has the raw one's rows" = nrow(a$table) == n,
    "every derived column is there" = all(names(a$rules$derived) %in% names(a$table)),
    "inputs are columns" = all(names(a$kinds) %in% names(a$table)) && !anyDuplicated(names(a$kinds)),
    "inputs have usable kinds" = all(a$kinds %in% input_kinds),
    "every input is prepared" = identical(names(a$prepare), names(a$kinds)),
    "targets are columns and no inputs" =
      all(a$target$columns %in% names(a$table)) && !any(a$target$columns %in% names(a$kinds)),
    "the loss is one of the task's" = a$target$loss$kind %in% task_of(a$target)$losses,
    "row facts are along the table" = all(lengths(a[c("group", "weight", "exposure")]) %in% c(0L, n)),
    "rows that take part have weight" = !any(a$weight[!is.na(a$part)] == 0),
    "weights are numbers from 0" = all(is.finite(a$weight)) && all(a$weight >= 0),
    "exposures are above 0" = all(is.finite(a$exposure)) && all(a$exposure > 0),
    "parts are known" = length(a$part) == n && all(a$part %in% c(part_names, "evaluated", NA)),
    "rows aside are in no part" = all(is.na(a$part[!is.na(a$aside)])),
    "learned rows have a target" = !anyNA(target_values(a, rows_in(a, "training"))),
    "folds are along the table" = is.null(a$fold) || (length(a$fold) == n && all(a$part[!is.na(a$fold)] == "training")),
    "there are training rows" = any(a$part %in% "training")
  )
  broken <- names(holds)[!(holds %in% TRUE)]
  if (length(broken)) {
    rlang::abort(paste0("The analysis is broken: ", paste(broken, collapse = "; ")), .internal = TRUE)
  }
  invisible(a)
}
