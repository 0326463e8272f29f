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
