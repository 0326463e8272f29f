# Random kill points (SIGKILL): in training with a checkpoint, in writing a model, and in scoring into a database. After
# each the work is called again; in the end it must be what it is without a kill: the same bits, no file that can't be
# read, no row twice and none missing. `Rscript bench/kills.R [kills]`, 200 in all if nothing is said.
kills <- as.numeric(c(commandArgs(TRUE), 200)[1])
library(hylomath)
set.seed(1)
folder <- tempfile("kills-")
dir.create(folder)
path <- function(name) file.path(folder, name)

killed_after <- function(code, ..., seconds) {
  process <- callr::r_bg(code, list(...), supervise = TRUE)
  process$wait(1000 * seconds)
  ended <- !process$is_alive()
  if (ended) process$get_result() else process$signal(tools::SIGKILL)
  process$wait()
  ended
}
# `again` is called until one call comes to its end, killed at a random moment each time
until_done <- function(again, most, name) {
  n <- 0
  took <- system.time(again(path("rehearsal"), 1e6))[[3]]
  while (!again(path(name), stats::runif(1, 0.3, 1.1) * took) && n < most) n <- n + 1
  if (n == most) again(path(name), 1e6)
  n
}
say <- function(what, n, well) cat(sprintf("%s: %d kills, %s\n", what, n, if (well) "well" else "NOT WELL"))

# ---- training -----------------------------------------------------------------------------------------------------

briefs <- list(
  out_of_fold = brief(kilns, target = "outcome") |> regimen(epochs = 60),
  ensemble = brief(crossings, target = "passengers") |> quick() |> regimen(restarts = 4, keep = "ensemble"),
  batches = brief(kilns, target = "outcome") |> quick() |> wire("64 relu > 32 relu") |>
    regimen(epochs = 400, stop = list(patience = 400)),
  whole = brief(kilns, target = "outcome") |> quick() |> regimen(method = "lbfgs", epochs = 400)
)
for (name in names(briefs)) {
  b <- briefs[[name]] |> hold_out(seed = 1) |> regimen(seed = 2)
  whole <- train(b, progress = "none")
  n <- 0
  well <- TRUE
  while (n < kills / 2 / length(briefs)) {
    unlink(path("ck"))
    n <- n + until_done(function(file, seconds) killed_after(function(b, file, ck) {
      hylomath::write_model(hylomath::train(b, progress = "none", checkpoint = ck, every = 0.05), file)
      TRUE
    }, b, file, if (file == path("model")) path("ck") else path("rehearsal-ck"), seconds = seconds), 40, "model")
    unlink(path("rehearsal-ck"))
    well <- well && identical(read_model(path("model"))$predictor, whole$predictor)
  }
  say(paste("training,", name), n, well)
}

# ---- writing a model ----------------------------------------------------------------------------------------------

model <- train(brief(crossings, target = "passengers"), progress = "none")
other <- refit(model, crossings, progress = "none")
write_model(model, path("kept.hylo"))
n <- 0
well <- TRUE
while (n < kills / 4) {
  ended <- killed_after(function(a, b, file) {
    for (i in 1:20) {
      hylomath::write_model(a, file)
      hylomath::write_model(b, file)
    }
  }, model, other, path("kept.hylo"), seconds = stats::runif(1, 0.5, 3))
  n <- n + !ended
  found <- read_model(path("kept.hylo"))
  well <- well && (identical(found, model) || identical(found, other))
}
say("writing a model", n, well)

# ---- scoring into a database --------------------------------------------------------------------------------------

rows <- kilns[sample(nrow(kilns), 50000, TRUE), ]
rows$firing <- sprintf("F%06d", sample(50000))
rows$fired_on <- as.character(rows$fired_on)
small <- train(quick(brief(kilns, target = "outcome")), progress = "none")
predictions <- predict(small, transform(rows, fired_on = as.Date(fired_on)), "both")
n <- 0
well <- TRUE
while (n < kills / 4) {
  unlink(path("rows.db"))
  connection <- DBI::dbConnect(RSQLite::SQLite(), path("rows.db"))
  DBI::dbWriteTable(connection, "firings", rows, row.names = FALSE)
  n <- n + until_done(function(file, seconds) killed_after(function(model, db, into) {
    hylomath::score_table(
      model, list(sqlite = db, query = "select * from firings"), list(table = into), key = "firing", block = 500,
      progress = "none"
    )
    TRUE
  }, small, path("rows.db"), basename(file), seconds = seconds), 20, "predictions")
  found <- DBI::dbGetQuery(connection, "select * from predictions order by firing")
  DBI::dbDisconnect(connection)
  well <- well && identical(found$firing, sort(rows$firing)) &&
    isTRUE(all.equal(found$probability_sound, predictions$probability_sound[order(rows$firing)], tolerance = 1e-12))
}
say("scoring into a database", n, well)
unlink(folder, recursive = TRUE)
