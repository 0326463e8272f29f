# The folder in which the cases of the catalogue are tried, and what a message must never be like.

catalogue_folder <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  withr::local_dir(folder, .local_envir = env)
  data.table::fwrite(small_kilns(300), "k.csv")
  data.table::fwrite(small_crossings(300), "crossings.csv")
  data.table::fwrite(utils::head(recovery, 100), "r.csv")
  data.table::fwrite(small_kilns(300)[0, ], "header.csv")
  file.create("empty.csv")
  bad <- small_kilns(20)
  bad$peak_c <- as.character(bad$peak_c)
  bad$peak_c[7] <- "hot"
  data.table::fwrite(bad, "badcell.csv")
  writeLines(c(readLines("k.csv", 3), "F9,\"2024-01-01,x"), "openquote.csv")
  dir.create("folder")
  file.create("folder/file")
  connection <- DBI::dbConnect(RSQLite::SQLite(), "db.sqlite")
  DBI::dbWriteTable(connection, "k", transform(small_kilns(300), fired_on = as.character(fired_on)))
  DBI::dbDisconnect(connection)
  b <- brief("k.csv", target = "outcome") |> quick() |> hold_out(seed = 1) |> regimen(epochs = 2, seed = 1)
  write_brief(b, "k.yml")
  write_model(train(b, progress = "none"), "k.hylo")
  counts <- brief("crossings.csv", target = "passengers") |> quick() |> regimen(epochs = 2, seed = 1)
  write_model(train(counts, progress = "none"), "c.hylo")
  writeBin(utils::head(readBin("k.hylo", "raw", 1e6), 3000), "broken.hylo")
  writeLines("target: [outcome", "broken.yml")
}

# What a wrong call does: list(status, said). The folder is as it was before.
called <- function(words) {
  withr::local_options(hylomath.progress = NULL)
  said <- character()
  hear <- function(condition) {
    said <<- c(said, sub("\n$", "", conditionMessage(condition)))
    tryInvokeRestart("muffleMessage")
  }
  utils::capture.output(status <- withCallingHandlers(
    tryCatch(cli_run(words), warning = function(w) {
      said <<- c(said, conditionMessage(w))
      99L
    }),
    message = hear
  ))
  list(status = status, said = said)
}

# What R, C++ or a package says of itself, and nobody who uses the package can make anything of.
speaks_of_inner_things <- function(message) {
  inner <- paste(
    "object '", "could not find function", "subscript", "argument of length", "of length zero", "TRUE/FALSE needed",
    "non-numeric", "non-character", "invalid '", "is not TRUE", "std::", "hylo::", "core_", "Error in", "stopifnot",
    "fault of hylomath", "promise", "closure", "<environment", "unused argument", "replacement has", "cannot open the",
    "no such network", "vapply", "NULL", "lexical error", "fread",
    sep = "|"
  )
  grepl(inner, message)
}
