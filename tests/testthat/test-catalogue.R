# A catalogue of bad inputs: each is refused with a message that says what is wrong, in words of this package, with the
# right status, soon, and with nothing left behind. The cases are data: catalogue/*.txt, a case a line, the message as
# it is today beside it.

# Lines of a file of cases: the input, a tab, and what is expected.
cases_of <- function(name) {
  lines <- strsplit(readLines(test_path("catalogue", name), encoding = "UTF-8"), "\t", fixed = TRUE)
  data.frame(input = vapply(lines, `[`, "", 1), says = vapply(lines, `[`, "", 2))
}

# Of the processor: what else a shared machine does is not counted.
seconds_of <- function(code) sum(system.time(code, gcFirst = FALSE)[1:2])

# Folders and files of a session have another name each time.
plain_message <- function(said) {
  said <- sub("^hylomath: ", "", strsplit(said[1], "\n", fixed = TRUE)[[1]][1])
  gsub("[^ '`]*file[0-9a-f]{6,}", "FILE", said)
}

generics_of_methods <- unique(getNamespaceInfo("hylomath", "S3methods")[, 1])

folder_state <- function() tools::md5sum(list.files(all.files = TRUE, recursive = TRUE))

expect_refused <- function(input, says, said, seconds) {
  expect_false(any(speaks_of_inner_things(said)), info = paste(input, toString(said)))
  expect_identical(plain_message(said), says, info = input)
  expect_lt(seconds, 2, label = input)
}

test_that("the command refuses what is wrong in a call", {
  cases <- cases_of("command.txt")
  catalogue_folder()
  before <- folder_state()
  for (i in seq_len(nrow(cases))) {
    words <- scan(text = cases$input[i], what = "", quiet = TRUE, quote = "\"")
    seconds <- seconds_of(run <- called(words))
    status <- as.integer(sub(" .*", "", cases$says[i]))
    expect_identical(as.integer(run$status), status, info = cases$input[i])
    expect_refused(cases$input[i], sub("^[0-9]+ ", "", cases$says[i]), run$said, seconds)
    expect_identical(folder_state(), before, info = cases$input[i])
  }
})

test_that("a brief with a mistake is refused before any training", {
  cases <- cases_of("brief.txt")
  catalogue_folder()
  usual <- c(
    data = "data: {file: k.csv}", target = "target: outcome", hold_out = "hold_out: {folds: 0, seed: 1}",
    regimen = "regimen: {epochs: 1, seed: 1}"
  )
  for (i in seq_len(nrow(cases))) {
    key <- sub(":.*", "", cases$input[i])
    whole <- grepl("^[a-z_]+:", cases$input[i])
    writeLines(if (whole) c(usual[names(usual) != key], cases$input[i]) else cases$input[i], "b.yml")
    seconds <- seconds_of(run <- called(c("train", "b.yml", "-q", "-o", "b.hylo")))
    expect_identical(as.integer(run$status), 1L, info = cases$input[i])
    expect_refused(cases$input[i], cases$says[i], run$said, seconds)
    expect_false(file.exists("b.hylo"))
  }
})

test_that("verbs and readers refuse what they can't take", {
  cases <- cases_of("verbs.txt")
  catalogue_folder()
  here <- new.env(parent = asNamespace("hylomath"))
  here$b <- read_brief("k.yml")
  here$m <- read_model("k.hylo")
  here$c <- read_model("c.hylo")
  here$r <- recovery
  here$kilns <- small_kilns(300)
  here$bytes <- function(content, ending = ".csv") {
    file <- tempfile(fileext = ending, tmpdir = ".")
    writeBin(if (is.raw(content)) content else charToRaw(content), file)
    file
  }
  for (i in seq_len(nrow(cases))) {
    said <- NULL
    error <- NULL
    call <- parse(text = cases$input[i])[[1]]
    refuse <- function(e) {
      said <<- conditionMessage(e)
      error <<- e
    }
    seconds <- seconds_of(utils::capture.output(suppressMessages(
      tryCatch(eval(call, new.env(parent = here)), hylomath_error = refuse)
    )))
    expect_refused(cases$input[i], cases$says[i], said, seconds)
    # the condition knows the verb, its topic, and the argument or setting that is wrong
    verbs <- c(getNamespaceExports("hylomath"), generics_of_methods)
    if (any(all.names(call) %in% setdiff(verbs, "print"))) {
      verb <- as.character(conditionCall(error))
      expect_true(verb %in% verbs, info = cases$input[i])
      expect_s3_class(error, paste0("hylomath_error_", verb))
      methods <- ls(asNamespace("hylomath"), pattern = paste0("^", verb, "([.]|$)"))
      arguments <- unlist(lapply(mget(methods, asNamespace("hylomath")), function(f) names(formals(f))))
      said_of <- sub("[.].*", "", error$argument)
      expect_true(all(said_of %in% c(arguments, names(brief_schema))), info = cases$input[i])
    }
  }
})

test_that("an error is caught by its topic, and names the argument", {
  b <- brief(small_kilns(), target = "outcome")
  error <- expect_error(regimen(b, epochs = -1), class = "hylomath_error_regimen")
  expect_identical(conditionCall(error), quote(regimen()))
  expect_identical(error[c("argument", "try")], list(argument = "regimen.epochs", try = NULL))
  # what a message begins with is no argument where it is a file or a column
  expect_null(expect_error(read_model("nothing.hylo"), class = "hylomath_error_read_model")$argument)
  expect_identical(expect_error(wire(b, "8 tanhh"), class = "hylomath_error_wire")$argument, "wiring")
  expect_identical(expect_error(appraise(quick_model(), rows = "odd"))$argument, "rows")
  # a pipe of verbs is blamed on the one that refused
  expect_error(train(hold_out(b, test = 2), progress = "none"), class = "hylomath_error_hold_out")
  # and a method on its generic
  expect_error(predict(quick_model(), kilns, type = "colour"), class = "hylomath_error_predict")
})

test_that("the service refuses what is no request for predictions", {
  cases <- cases_of("service.txt")
  catalogue_folder()
  model <- read_model("k.hylo")
  service <- list(
    model = model, identity = identity_of(model), limits = list(bytes = 1e6, rows = 1000, seconds = 20, waiting = 2),
    counts = new_counts(), pages = served_pages(model)
  )
  for (i in seq_len(nrow(cases))) {
    words <- regmatches(cases$input[i], regexec("^([A-Z]+) ([^? ]*)([?][^ ]*)? ?(.*)$", cases$input[i]))[[1]]
    seconds <- seconds_of(response <- respond(list(
      REQUEST_METHOD = words[2], PATH_INFO = words[3], QUERY_STRING = words[4],
      HTTP_CONTENT_TYPE = "application/json", HTTP_ACCEPT = "",
      rook.input = list(read = function() charToRaw(words[5]))
    ), service))
    expect_identical(as.integer(response$status), as.integer(sub(" .*", "", cases$says[i])), info = cases$input[i])
    said <- jsonlite::fromJSON(response$body)$error
    expect_refused(cases$input[i], sub("^[0-9]+ ", "", cases$says[i]), said, seconds)
  }
})

test_that("there are more than four hundred cases, each of them once", {
  names <- c("command.txt", "brief.txt", "verbs.txt", "service.txt")
  inputs <- lapply(names, function(name) cases_of(name)$input)
  expect_gte(length(unlist(inputs)), 400)
  for (input in inputs) expect_false(anyDuplicated(input) > 0)
})
