# What the subcommands do: read, call the verb of the same name, print. Each takes the files it was given and its
# options, and returns an exit status if that is not 0.

cli_look <- function(files, options) {
  table <- read_table(files)
  cli_columns(table, options$target, "target")
  seen <- look(table, target = options$target)
  facts <- list(
    rows = seen$n, columns = seen$columns, target = seen$target, shares = seen$shares, notes = seen[["notes"]]
  )
  if (!is.null(options$figure)) {
    if (is.null(options$target)) cli_wrong("`--figure` draws pairs by the target: name it by `--target`.", "look")
    cli_drawing(plot_pairs(files, options$target), options)
  }
  cli_result(seen, options, facts, all = options$all)
}

cli_brief <- function(files, options) {
  if (is.null(options$target)) cli_wrong("`--target` is missing: which column is to be predicted?", "brief")
  b <- cli_override(cli_start_brief(files, options), options$set)
  merged <- options[["merge-levels"]]
  if (!is.null(merged)) b <- cli_said(merge_levels(b, tidyselect::all_of(cli_words(merged))))
  # a file trained twice gives the same network twice
  b$regimen$seed <- b$regimen$seed %||% draw_seed()
  if (!is.null(options$output)) {
    place <- intersect(c("file", "sqlite"), names(b$data))
    folder <- if (isTRUE(options$piped)) "." else dirname(options$output)
    if (length(place)) b$data[[place]] <- path_from(b$data[[place]], folder)
    cli_write_brief(b, options)
  }
  if (options$json) return(cli_json(brief_settings(b)))
  if (!is.null(options$output) && options$quiet) return()
  if (is.null(options$output)) cat(brief_yaml(b)) else print(b)
}

# From a file, or from a database when there is a query: SQLite for a file, PostgreSQL for the name of a database.
cli_start_brief <- function(place, options) {
  target <- cli_targets(options$target, place, options$query)
  if (is.null(options$query)) {
    cli_columns(table_columns(place), target, "target")
    said <- cli_reading(options$set)
    source <- c(list(file = place), said$data)
    table <- cli_said(read_table(place, how = said$data))
    return(start_brief(table, target, NULL, NULL, NULL, said$columns$formats, source))
  }
  source <- cli_database(place, options$query)
  b <- brief(structure(read_source(source), columns = NULL), target = target)
  b$data <- settle_settings(source, brief_schema$data, "data")
  new_brief(brief_settings(b), b$table)
}

cli_database <- function(place, query) {
  source <- list(query = query)
  source[[if (file.exists(place)) "sqlite" else "postgres"]] <- place
  source
}

# `a,b` names two columns, unless there is one of that name.
cli_targets <- function(text, place, query) {
  if (!grepl(",", text, fixed = TRUE)) return(text)
  if (is.null(query) && text %in% names(read_table(place))) return(text)
  trimws(strsplit(text, ",", fixed = TRUE)[[1]])
}

cli_desk <- function(files, options) {
  desk(
    if (length(files)) files, folder = options$folder, port = as.numeric(options$port %||% 0),
    open = isTRUE(options$open)
  )
}

cli_store <- function(files, options) {
  if (is.null(options$output)) cli_wrong("`--output` is missing: which folder is the table to be stored in?", "store")
  cli_said(check_table_place(options$output), "store")
  from <- if (is.null(options$query)) files else cli_database(files, options$query)
  table <- store_table(from, options$output, progress = cli_progress(options))
  size <- sprintf("%s of %s", counted(nrow(table), "row"), counted(ncol(table), "column"))
  cli_say(options, sprintf("Stored %s in %s.", size, options$output))
}

cli_train <- function(files, options) {
  output <- options$output %||% cli_beside(files, ".hylo")
  check_can_write(output)
  options$checkpoint <- cli_checkpoint(options, output, bare = options$bare)
  b <- cli_brief_and_table(files, options)
  # what was looked at before this training is not forgotten with the file that held it
  former <- if (file.exists(output)) tryCatch(read_model(output), hylomath_error = function(e) NULL)
  model <- train(
    b, progress = cli_progress(options), watch_test = options[["watch-test"]], checkpoint = options$checkpoint,
    every = options$every %||% 30, resumable = options$resumable
  )
  cli_write_model(model, output, options, former, rows = !options$bare)
  # what is kept in the model's file need not be kept twice
  cli_end_checkpoint(options, model$stopped == "interrupted")
  if (!is.null(former)) cli_say(options, "It takes the place of the model that was there.")
  cli_result(model, options, c(list(file = output), model_facts(model)))
  if (model$stopped == "interrupted") 1L
}


# The table's own cells with the predictions behind them: nothing of it is rewritten by having been read as numbers.
cli_predict <- function(files, options) {
  model <- read_model(files[1])
  how <- list(
    type = options$type %||% "auto", level = options$level %||% 0.9, flags = options$flags,
    prefix = options$as %||% "", bad_cells = options[["bad-cells"]] %||% "refuse",
    shares = cli_shares(options$shares), identity = options$identity
  )
  listed <- list(
    ranked = options$ranked, digits = options$digits, learned = options[["mark-learned"]],
    reasons = options$reasons %||% 0, reasons_for = options[["reasons-for"]] %||% 200
  )
  if (options$json) {
    table <- cli_inputs(model, if (files[2] == "-") text_from("-") else files[2])
    return(cli_json(do.call(augment, c(list(model, table), how, listed))[-seq_along(table)]))
  }
  if (options$ranked || options[["mark-learned"]] || !is.null(options$digits) || !is.null(options$reasons)) {
    return(cli_list(model, files, options, c(how, listed)))
  }
  rule <- rule_text(model$predictor)
  if (!is.null(rule)) cli_say(options, rule)
  query <- options$query
  if (is.null(query) && !is.null(options$into)) cli_wrong("`--into` is for databases: add --query.", "predict")
  if (!is.null(query) && !is.null(options$output)) {
    cli_wrong("Predictions for a query go into a table of its database: --into TABLE.", "predict")
  }
  from <- if (is.null(query)) files[2] else cli_database(files[2], query)
  into <- if (is.null(query)) options$output %||% "-" else if (!is.null(options$into)) list(table = options$into)
  done <- do.call(score_table, c(
    list(model, from, into), how, list(key = options$key, progress = cli_progress(options))
  ))
  if (is.null(options[["bad-cells"]]) && done$unusual$rows > 0) {
    cli_say(options, paste(unusual_counts_text(done$rows, done$unusual$rows, done$unusual$columns), collapse = "\n"))
  }
  if (is.list(into)) cli_say(options, sprintf("Predicted %s in %s.", counted(done$rows, "row"), options$into))
  if (is.null(into)) {
    cli_say(options, sprintf("Tried %s; --into TABLE keeps the predictions.", counted(done$rows, "row")))
  }
  if (!is.null(options$output)) cli_say(options, sprintf("Wrote %s: %s.", into, counted(done$rows, "row")))
}

# A list of rows for people: read whole, sorted and rounded as it is wanted.
cli_list <- function(model, files, options, how) {
  if (!is.null(options$query)) cli_wrong("Lists are made of files: leave --query out.", "predict")
  # what the model takes for text is read as text
  table <- read_rows(if (files[2] == "-") text_from("-") else files[2], model)
  listed <- do.call(augment, c(list(model, table), how))
  if (is.null(options$output) || options$output == "-") {
    return(cat(rawToChar(csv_bytes(listed, TRUE))))
  }
  write_table(listed, options$output)
  cli_say(options, sprintf("Wrote %s: %s.", options$output, counted(nrow(listed), "row")))
}

# `--shares yes=0.3,no=0.7`
cli_shares <- function(text) {
  if (is.null(text)) return(NULL)
  pairs <- strsplit(cli_words(text), "=(?=[^=]*$)", perl = TRUE)
  shares <- vapply(pairs, function(pair) as_one_number(pair[2]), 0)
  if (any(lengths(pairs) != 2) || anyNA(shares)) {
    cli_wrong(sprintf("`--shares` gives each class its share, as in yes=0.3,no=0.7; not %s.", describe(text)))
  }
  stats::setNames(shares, vapply(pairs, `[`, "", 1))
}

# The columns of a table that a model's predictions depend on.
cli_inputs <- function(model, file) {
  needed <- needed_columns(model$predictor)
  check_needed_columns(needed, table_columns(file), quoted(file))
  read_table(file, unlist(model$brief$columns$kinds), columns = needed)
}

cli_show <- function(files, options) {
  if (grepl("[.]ya?ml$", files)) {
    if (options$code) return(cat(as_code(read_brief(files, read = FALSE))))
    b <- read_brief(files)
    return(cli_result(b, options, brief_settings(b)))
  }
  check_file(files)
  if (is_result(files)) {
    found <- read_result(files)
    return(cli_result(found, options, result_facts(found)))
  }
  cli_show_model(read_model(files), options)
}

cli_show_model <- function(model, options) {
  if (options$brief) return(cat(brief_yaml(model$brief)))
  if (options$code) return(cat(as_code(model)))
  if (options$curves) return(data.table::fwrite(cells_to_write(loss_curves(model)), ""))
  if (options$weights && !is.null(options$output)) return(cli_write_table(coef_table(model), options, "value"))
  if (options$weights) return(cli_json(lapply(coef(model), weights_with_names)))
  if (!is.null(options$network)) {
    write_figure(plot_network(model), options$network)
    return(cli_say(options, sprintf("Drew the network into %s.", options$network)))
  }
  if (options$layers) {
    layers <- layers_of(model)
    return(if (options$json) cli_json(layers) else write_lines(layers_text(layers)))
  }
  if (options$json) return(cli_json(model_facts(model)))
  write_lines(format(summary(model)))
}

# A matrix as a list of its columns' values by row name.
weights_with_names <- function(block) {
  if (!is.matrix(block)) return(block)
  columns <- stats::setNames(seq_len(ncol(block)), colnames(block))
  c(list(row = rownames(block)), lapply(columns, function(j) unname(block[, j])))
}

cli_probe <- function(files, options) {
  model <- read_model(files[1])
  layer <- options$layer
  cli_said(checked_layer(model, layer), "probe")
  values <- probe(model, cli_inputs(model, files[2]), layer)
  if (options$json) return(cli_json(values))
  if (is.null(options$output)) return(data.table::fwrite(cells_to_write(values), ""))
  write_table(values, options$output)
  size <- sprintf("%s of %s", counted(nrow(values), "row"), counted(ncol(values), "unit"))
  cli_say(options, sprintf("Wrote %s: %s.", options$output, size))
}

cli_transcribe <- function(files, options) {
  if (is.null(options$to)) {
    languages <- enumerate(transcript_targets(), "or")
    cli_wrong(sprintf("`--to` is missing: what is the model to be written in? %s.", languages), "transcribe")
  }
  if (options$check && options$to != "sql") cli_wrong("`--check` is for --to sql.", "transcribe")
  code <- transcribe(
    read_model(files[1]), options$to, table = options$table %||% "rows", key = cli_words(options$key),
    dialect = options$dialect %||% "standard", check = options$check, level = options$level
  )
  if (is.null(options$output)) return(cat(code))
  write_whole(charToRaw(enc2utf8(code)), options$output)
  cli_say(options, sprintf("Wrote %s.", options$output))
}

# ---- brief -----------------------------------------------------------------------------------------------------------

# From a brief file and the options of a subcommand to the brief that it works on.

# A brief file with its table, and what the command line overrides.
cli_brief_and_table <- function(file, options, beside = NULL) {
  b <- cli_override(read_brief(file, read = FALSE), options$set)
  if (isTRUE(options$quick)) b <- quick(b)
  b <- with_seeds(b, checkpoint_seeds(options$checkpoint))
  options(hylomath.catch_term = TRUE)
  cli_plan(options$workers)
  if (is.null(b$data)) {
    fail(sprintf("%s names no table.", quoted(file)), "Add the lines `data:` and `  file: <table>.csv`.")
  }
  read_brief_table(b, dirname(file), beside)
}

# Seeds that the brief leaves open are those of the checkpoint that is to be gone on from.
with_seeds <- function(b, seeds) {
  for (section in names(drop_nulls(seeds))) b[[section]]$seed <- b[[section]]$seed %||% seeds[[section]]
  b
}

# `--set regimen.epochs=50`, as if the brief file said so.
cli_override <- function(b, pairs) {
  if (length(pairs) == 0) return(b)
  said <- brief_settings(b)
  for (pair in pairs) {
    what <- "`--set %s` does not give a key its value: write it as key=value."
    if (!grepl("^[^=]+=", pair)) cli_wrong(sprintf(what, pair))
    path <- strsplit(sub("=.*", "", pair), ".", fixed = TRUE)[[1]]
    value <- cli_set_value(pair)
    said <- cli_said(settle_settings(set_at(said, path, value), brief_schema))
  }
  if (!is.null(b$table)) cli_columns(b$table, said$columns$drop, "set columns.drop")
  cli_said(complete_brief(said, b$table))
}

cli_set_value <- function(pair) cli_said(setting_from_text(sub("^[^=]*=", "", pair), sprintf("`--set %s`", pair)))

# What `--set` says of how a table is read, which has to be known before its kinds are guessed.
cli_reading <- function(pairs) {
  said <- list()
  for (pair in grep("^(data|columns[.]formats)[.][^=]+=", pairs, value = TRUE)) {
    key <- sub("=.*", "", pair)
    path <- if (startsWith(key, "data.")) c("data", sub("^data[.]", "", key)) else {
      c("columns", "formats", sub("^columns[.]formats[.]", "", key))
    }
    said <- set_at(said, path, cli_set_value(pair))
  }
  cli_said(settle_settings(said, brief_schema))
}

# Where a subcommand writes when nothing is said: beside the brief, with another ending.
cli_beside <- function(file, ending) paste0(sub("[.]ya?ml$", "", file), ending)

# ---- report ----------------------------------------------------------------------------------------------------------

# What the subcommand `report` does.

cli_report <- function(files, options) {
  for (file in files) check_file(file)
  output <- options$output %||% paste0(sub("[.][^./]*$", "", files[1]), if (options$pdf) ".pdf" else ".html")
  if (options$pdf) output <- paste0(sub("[.]html$", "", sub("[.]pdf$", "", output)), ".pdf")
  check_can_write(output)
  is_kept <- vapply(files, is_result, NA)
  models <- files[grepl("[.]hylo$", files) & !is_kept]
  tables <- setdiff(files, c(models, files[is_kept]))
  if (length(tables) > 1) {
    cli_wrong(sprintf("One table at most is taken beside a model, not %s.", enumerate(tables)), "report")
  }
  if (any(is_kept)) {
    if (length(files) > 1) cli_wrong("A result that was kept is reported by itself.", "report")
    write_report(read_result(files), output, rows = !options[["without-rows"]])
  } else if (length(models) > 1) {
    write_report(cli_lineup_models(files, list(rows = NULL)), output)
  } else if (length(models) == 1) {
    model <- read_model(models)
    data <- if (length(tables)) cli_table(model, tables)
    write_report(model, output, data, rows = !options[["without-rows"]])
    cli_keep_looks(model, models)
  } else {
    cli_wrong(sprintf("%s is neither a model nor a result that was kept.", quoted(files[1])), "report")
  }
  cli_say(options, sprintf("Wrote %s.", output))
}
