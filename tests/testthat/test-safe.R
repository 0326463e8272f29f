# Safety that can't wait (F): files, threads and streams that are hostile or full.

# A model file with something in it changed.
changed_model <- function(change, file = withr::local_tempfile(.local_envir = parent.frame())) {
  source <- withr::local_tempfile()
  write_model(quick_model(), source)
  resigned(source, function(content) {
    content <- change(jsonlite::parse_json(content))
    as.character(enc2utf8(jsonlite::toJSON(content, auto_unbox = TRUE, null = "null", digits = NA)))
  }, file)
}

# What happens when such a file is used: its predictions, or the class of the error.
used <- function(file) {
  tryCatch(
    {
      model <- read_model(file)
      utils::capture.output(print(model))
      predict(model, head(kilns))
      "predictions"
    },
    error = function(e) if (inherits(e, "hylomath_error")) "refused" else conditionMessage(e)
  )
}

test_that("F1: a crafted model is refused before anything runs on it", {
  place <- function(document, column) {
    match(column, vapply(document$predictor$preparation$columns, `[[`, "", "column"))
  }
  crafted <- list(
    function(d) {
      i <- place(d, "glaze")
      d$predictor$preparation$columns[[i]]$unseen <- 100000
      d
    },
    function(d) {
      i <- place(d, "kiln")
      d$predictor$preparation$columns[[i]]$width <- 1
      d
    },
    function(d) {
      d$predictor$network$layers <- list()
      d
    },
    function(d) {
      d$predictor$network$layers[[1]]$units <- 1e12
      d
    },
    function(d) {
      d$predictor$network$inputs <- -1
      d
    },
    function(d) {
      i <- place(d, "peak_c")
      d$predictor$preparation$columns[[i]]$scale <- "x"
      d
    },
    function(d) {
      d$predictor$network$output <- "identity"
      d
    },
    function(d) {
      d$evaluated$test$weight <- list()
      d
    }
  )
  for (change in crafted) expect_equal(used(changed_model(change)), "refused")
})

test_that("F1: the core itself stays within its bounds", {
  plan <- list(encoding = "level", width = 2, unseen = 5, missing = -1)
  expect_error(core_encode(list(plan), list(1:2), 1L), "plan is broken")
  level <- within_list(plan, unseen = -1)
  expect_equal(core_encode(list(level), list(c(1L, 9L)), 1L), matrix(c(1, 0, 0, 0), 2))
  score <- list(encoding = "score", scores = c(1, 2), unseen = 7, missing = 0)
  expect_equal(core_encode(list(score), list(c(2L, 9L)), 1L), matrix(c(2, 7), 1))
  date <- list(encoding = "date", part_bits = 63, clock = TRUE, shift = 0, scale = 1)
  expect_true(all(core_encode(list(date), list(c(Inf, 1e300)), 1L) == 0))
  knots <- list(
    encoding = "number", fill = 0, shift = 0, scale = 1, low = -1, high = 1, flag = FALSE, knots = c(0, 1), heights = 0
  )
  expect_error(core_encode(list(knots), list(c(0.5, 1)), 1L), "knots")
})

test_that("F1: models that are broken at random prediction, or are refused in words", {
  paths_of <- function(x, path = list()) {
    if (!is.list(x) || length(x) == 0) return(list(path))
    unlist(lapply(seq_along(x), function(i) paths_of(x[[i]], c(path, i))), recursive = FALSE)
  }
  source <- withr::local_tempfile()
  write_model(quick_model(), source)
  document <- jsonlite::parse_json(read_compressed(source))$content
  paths <- paths_of(document)
  values <- list("x", -1, 1e9, TRUE, list(), NULL, 0.5, list(a = 1))
  outcomes <- withr::with_seed(11, vapply(1:15, function(i) {
    path <- unlist(sample(paths, 1))
    file <- changed_model(function(d) {
      d[[path]] <- sample(values, 1)[[1]]
      d
    })
    used(file)
  }, ""))
  expect_setequal(unique(outcomes), c("predictions", "refused"))
  expect_gt(mean(outcomes == "refused"), 0.4)
})

test_that("F2: a file doesn't choose its class", {
  file <- withr::local_tempfile()
  for (class in list(list("vignette", "hylomath_folds"), list("function"), list("hylomath_model"))) {
    evil <- jsonlite::toJSON(
      list("$object" = list(class = list("$texts" = class), value = list(a = 1L))), auto_unbox = TRUE
    )
    with_content(evil, file)
    expect_fails(read_result(file), "which no result has")
  }
})

test_that("F3: a number of threads that can't be is refused, and one too many is cut", {
  for (odd in list(0, -1, NA, "a", c(1, 2), 1.5)) {
    withr::local_options(hylomath.threads = odd)
    expect_fails(thread_count(), "hylomath.threads", "options(hylomath.threads = NULL)")
  }
  withr::local_options(hylomath.threads = 1e6)
  expect_lte(thread_count(), 4 * core_count())
  expect_equal(nrow(predict(quick_model(), head(kilns))), 6)
})

test_that("F4: devices and links are written through, and a file keeps its mode", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  at <- function(name) file.path(folder, name)
  write_whole(charToRaw("x"), "/dev/null")
  expect_true(file.info("/dev/null")$size == 0 && !core_is_plain_file("/dev/null"))
  writeLines("old", at("real.txt"))
  Sys.chmod(at("real.txt"), "600")
  file.symlink("real.txt", at("link.txt"))
  write_whole(charToRaw("new\n"), at("link.txt"))
  expect_equal(readLines(at("real.txt")), "new")
  expect_equal(Sys.readlink(at("link.txt")), "real.txt")
  expect_equal(format(file.info(at("real.txt"))$mode), "600")
  withr::defer(Sys.umask(former))
  former <- Sys.umask("027")
  write_whole(charToRaw("x"), at("fresh.txt"))
  expect_equal(format(file.info(at("fresh.txt"))$mode), "640")
  file.symlink("b", at("a"))
  file.symlink("a", at("b"))
  expect_fails(write_whole(charToRaw("x"), at("a")), "leads round in a circle")
})

# The command through a shell.
in_shell <- function(words) {
  r <- paste(shQuote(file.path(R.home("bin"), "Rscript")), shQuote(program))
  err <- tempfile()
  status <- suppressWarnings(system2("sh", c("-c", shQuote(sprintf("%s %s", r, words))), stderr = err, env = libraries))
  list(status = status, err = readLines(err, warn = FALSE))
}

test_that("what takes a file's place is nobody else's to read before, an address is no file, and a name is UTF-8", {
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  modes <- NULL
  write <- function(part) {
    writeLines("x", part)
    modes <<- c(modes, format(file.mode(part)))
  }
  writeLines("secret", "own")
  Sys.chmod("own", "600")
  former <- Sys.umask("022")
  withr::defer(Sys.umask(former))
  replace_whole("own", write)
  replace_whole("new", write)
  expect_equal(modes, c("600", "600"))
  expect_equal(format(file.mode(c("own", "new"))), c("600", "644"))
  dir.create("http:")
  writeLines(c("a,b", "1,2"), "http:/x.csv")
  expect_fails(read_table("http://x.csv"), "is an address, not a file")
  expect_fails(read_table("\xff.csv"), "not in UTF-8")
})

test_that("F5: output that can't be written is an error, and a closed pipe none", {
  skip_on_os(c("windows", "mac"))
  withr::local_dir(withr::local_tempdir())
  write.csv(kilns, "k.csv", row.names = FALSE)
  full <- in_shell("look k.csv > /dev/full")
  expect_equal(full$status, 1)
  expect_match(paste(full$err, collapse = " "), "Standard output can't be written")
  closed <- in_shell("look k.csv | head -1 > /dev/null")
  expect_equal(closed$status, 0)
  expect_length(closed$err, 0)
})

test_that("F6: the profile of the folder is not run", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines("cat('RAN THE PROFILE\\n'); file.create('ran')", ".Rprofile")
  starter <- suppressMessages(install_command(file.path(folder, "bin")))
  out <- system2(starter, "--version", stdout = TRUE, stderr = TRUE)
  expect_match(out, "^hylomath ")
  expect_false(file.exists("ran"))
})

test_that("formulas are left alone, and made texts for a spreadsheet in every table that is written", {
  withr::local_dir(withr::local_tempdir())
  table <- small_kilns(300)
  table$glaze <- sub("^c", "=c", as.character(table$glaze))
  table$outcome <- paste0("@", table$outcome)
  table$bend <- ifelse(seq_len(300) %% 2, "-2+3", "-4.5")
  names(table)[names(table) == "bend"] <- "=bend"
  data.table::fwrite(table, "k.csv")
  b <- brief("k.csv", "outcome") |> quick() |> regimen(epochs = 2, seed = 1) |> hold_out(seed = 1)
  write_model(train(b, progress = "none"), "k.hylo")
  write_brief(b, "k.yml")
  cells_of <- function(file) unlist(utils::read.csv(file, colClasses = "character", header = FALSE))
  formulas <- function(file) {
    cells <- cells_of(file)
    sum(grepl("^[=+@-]", cells) & is.na(suppressWarnings(as.numeric(cells))))
  }
  run <- function(words) {
    utils::capture.output(status <- suppressMessages(cli_run(words)))
    status
  }
  verbs <- list(
    c("predict", "k.hylo", "k.csv"), c("appraise", "k.hylo", "--rows", "test"), c("folds", "k.yml", "--k", "2"),
    c("probe", "k.hylo", "k.csv")
  )
  for (verb in verbs) {
    expect_equal(run(c(verb, "-o", "plain.csv")), 0L)
    expect_equal(run(c(verb, "-o", "sheet.csv", "--spreadsheet")), 0L)
    if (verb[1] != "probe") expect_gt(formulas("plain.csv"), 0)
    if (verb[1] == "predict") expect_true("-4.5" %in% cells_of("sheet.csv"))
    expect_equal(formulas("sheet.csv"), 0, info = verb[1])
    expect_identical(sub("^'", "", cells_of("sheet.csv")), cells_of("plain.csv"), info = verb[1])
  }
  expect_false(for_spreadsheet())
  withr::local_options(hylomath.spreadsheet = TRUE)
  left <- c("-4,5", "-.5e3", "+12", "plain", "", NA)
  expect_identical(no_formula(left), left)
  formulas <- c("=1", "-1+1", "-0x1F", "@x", "\tx")
  expect_identical(no_formula(formulas), paste0("'", formulas))
})
