# Files that grow while work goes on belong to one process at a time, and to none that was refused.

test_that("a search or checkpoint that is being written is refused to another process", {
  withr::local_dir(withr::local_tempdir())
  data.table::fwrite(small_kilns(), "k.csv")
  hylomath("brief", "k.csv", "-t", "outcome", "-o", "k.yml", "-q")
  calls <- list(
    c("scout", "k.yml", "units=4..32", "l2=1e-6..0.1", "--k", "3", "--budget", "400", "--keep", "k.scout", "-q"),
    c(
      "train", "k.yml", "--checkpoint", "k.kept", "--every", "0", "-q", "--set", "regimen.epochs=100000", "--set",
      "regimen.stop=none"
    )
  )
  for (words in calls) {
    kept <- grep("^k[.](scout|kept)$", words, value = TRUE)
    first <- callr::process$new(
      file.path(R.home("bin"), "Rscript"), c(program, words), env = c("current", R_LIBS = library_paths)
    )
    # by its file: to try the lock would refuse `first` if it came at that moment
    for (i in 1:1200) {
      if (file.exists(kept) || !first$is_alive()) break
      Sys.sleep(0.05)
    }
    expect_true(file.exists(kept))
    second <- do.call(hylomath, as.list(words))
    expect_true(first$is_alive())
    first$kill()
    first$wait()
    expect_equal(second$status, 1)
    expect_match(second$err[1], "is being written by another process", fixed = TRUE)
    # whoever was killed holds nothing any more
    expect_null(take_file(kept, environment())$nothing)
  }
})

test_that("a file of two names is one", {
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  local({
    growing_file("one", list(a = 1), environment())$add(list(b = 2))
    expect_true(file.link("one", "two"))
    taken <- callr::r(function() {
      tryCatch(is.null(get("take_file", asNamespace("hylomath"))("two", environment())), error = conditionMessage)
    })
    expect_match(taken, "is being written by another process")
  })
})

test_that("a search that is refused leaves no file that blocks the right one", {
  b <- brief(small_kilns(300), target = "outcome") |> regimen(epochs = 2)
  file <- withr::local_tempfile()
  expect_fails(scout(b, units = bounds(4, 8), where = units > 99, file = file), "leaves no settings")
  expect_false(file.exists(file))
  found <- scout(b, units = bounds(4, 8), budget = 2, k = 2, file = file, progress = "none")
  expect_s3_class(found, "hylomath_scouting")
  take_file(file, environment())
})
