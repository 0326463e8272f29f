# The service: one request at a time as a function, and as a process.

table <- small_kilns()
model <- quick_model(table)
limits <- list(bytes = 1e6, rows = 1000, seconds = 20, waiting = 2, idle = 60)
service <- list(
  model = model, identity = identity_of(model), limits = limits, counts = new_counts(), pages = served_pages(model)
)

# What comes back for a request; the body parsed where it is JSON.
ask <- function(path, body = NULL, type = "application/json", query = "", method = if (is.null(body)) "GET" else "POST",
                accept = "") {
  bytes <- if (is.raw(body)) body else charToRaw(body %||% "")
  response <- respond(list(
    REQUEST_METHOD = method, PATH_INFO = path, QUERY_STRING = query, HTTP_CONTENT_TYPE = type, HTTP_ACCEPT = accept,
    rook.input = list(read = function() bytes)
  ), service)
  if (grepl("json", response$headers[["Content-Type"]])) response$json <- jsonlite::fromJSON(response$body)
  response
}

as_json <- function(rows) {
  rows[] <- lapply(rows, function(x) if (inherits(x, "Date") || is.factor(x)) as.character(x) else x)
  as.character(jsonlite::toJSON(rows, na = "null", digits = NA))
}

test_that("rows are predicted as predict() does", {
  rows <- head(table[names(table) != "outcome"], 20)
  rows$gas_mbar[3] <- NA
  told <- predict(model, rows, "both")
  for (body in c(as_json(rows), sprintf("{\"rows\": %s}", as_json(rows)))) {
    response <- ask("/predict", body)
    expect_equal(response$status, 200)
    expect_equal(response$rows, 20)
    expect_equal(response$json$network, identity_of(model))
    expect_equal(response$json$predictions$prediction, told$prediction)
    expect_equal(response$json$predictions$probability_sound, told$probability_sound, tolerance = 1e-14)
  }
  first <- sub("^\\[(.*)\\]$", "\\1", as_json(rows[1, ]))
  one <- ask("/predict", first, query = "?type=prediction&flags=true&identity=1")
  expect_equal(unlist(one$json$predictions[c("prediction", "unusual", "network")]), c(
    prediction = told$prediction[1], unusual = "", network = identity_of(model)
  ))
  file <- withr::local_tempfile()
  data.table::fwrite(rows, file)
  csv <- ask("/predict", readBin(file, "raw", 1e6), "text/csv; charset=utf-8")
  expect_equal(read.csv(text = csv$body)$probability_sound, told$probability_sound, tolerance = 1e-12)
  both <- ask("/predict", readBin(file, "raw", 1e6), "text/csv", accept = "application/json")
  expect_equal(both$json$predictions$prediction, told$prediction)
})

test_that("what is wrong is said, with its row and column", {
  row <- as.list(head(table[names(table) != "outcome"], 1))
  row[] <- lapply(row, function(x) if (is.numeric(x)) x else as.character(x))
  body <- function(...) {
    rows <- list(utils::modifyList(row, list(...)))
    as.character(jsonlite::toJSON(list(rows = rows), auto_unbox = TRUE))
  }
  wrong <- list(
    list("", "body is empty"), list("{", "not JSON"), list("[]", "no rows"), list("[1, 2]", "Row 1 is not an object"),
    list("7", "not JSON"), list("{\"rows\": [{\"glaze\": \"ash\"}]}", "no column `fired_on`"),
    list(body(peak_c = "hot"), "Row 1 holds"),
    list(body(peak_c = list(1, 2)), "no single value in the column `peak_c`"),
    list(body(fired_on = "yesterday"), "not a date"), list(body(peak_c = 1e300), "1e30"),
    list(strrep("[", 500), "nested too deeply"), list(as.raw(c(0x7b, 0xff, 0x7d)), "UTF-8"),
    list(as.raw(c(0x5b, 0, 0x5d)), "not JSON")
  )
  for (case in wrong) {
    response <- ask("/predict", case[[1]])
    expect_equal(response$status, 422)
    expect_match(paste(response$json$error, response$json$try), case[[2]], fixed = TRUE)
  }
  expect_equal(ask("/predict", body(), query = "?type=interval")$status, 422)
  expect_match(ask("/predict", body(), query = "?typ=both")$json$error, "not known")
  expect_equal(ask("/predict", "x", "image/png")$status, 415)
  expect_equal(ask("/predict", raw(1e6 + 1))$status, 413)
  expect_equal(ask("/predict", paste0("[", paste(rep("{}", 1001), collapse = ","), "]"))$status, 413)
  expect_equal(ask("/predict")$status, 405)
  expect_equal(ask("/health", "x")$status, 405)
  expect_equal(ask("/etc/passwd")$status, 404)
})

test_that("it tells of itself, and nothing of single rows", {
  expect_equal(ask("/health")$json$health, "well")
  told <- ask("/model")
  expect_equal(told$json$target, "outcome")
  expect_setequal(told$json$columns$name, needed_columns(model$predictor))
  openapi <- ask("/openapi.json")$json
  expect_equal(openapi$openapi, "3.1.0")
  expect_setequal(openapi$components$schemas$row$required, needed_columns(model$predictor))
  expect_true(all(c("/predict", "/model", "/health", "/counts") %in% names(openapi$paths)))
  page <- ask("/")
  expect_match(page$body, "<form id=\"form\"", fixed = TRUE)
  for (key in model$evaluated$test$key[1:3]) expect_no_match(paste(page$body, told$body), key)
  # what stands in a page can't end its script
  odd <- quick_model(transform(table, glaze = ifelse(glaze == "ash", "</script><b>", as.character(glaze))))
  page <- transcribe(odd, "page")
  expect_equal(lengths(gregexpr("</script>", page, fixed = TRUE)), 3)
})

test_that("a process listens, logs without values, and stops when it is told", {
  skip_if_not_installed("httpuv")
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  write_model(model, "k.hylo")
  process <- callr::r_bg(function(...) hylomath::run_command(c(...)), list(
    "serve", "k.hylo", "--port", "0", "--log", "log.jsonl", "--most-bytes", "5000"
  ), stderr = "said.txt", supervise = TRUE)
  address <- NULL
  until <- Sys.time() + 60
  while (is.null(address) && Sys.time() < until) {
    Sys.sleep(0.1)
    said <- if (file.exists("said.txt")) readLines("said.txt") else character()
    found <- regmatches(said, regexpr("http://127.0.0.1:[0-9]+/", said))
    if (length(found)) address <- found
  }
  curl <- function(...) system2("curl", c("-s", "-o", "body", "-w", "%{http_code}", ...), stdout = TRUE)
  skip_if(Sys.which("curl") == "", "there is no curl")
  writeLines(as_json(head(table[names(table) != "outcome"], 3)), "rows.json")
  json <- c("-H", "Content-Type:application/json")
  expect_equal(curl("--data-binary", "@rows.json", json, paste0(address, "predict")), "200")
  expect_equal(jsonlite::fromJSON("body")$predictions$prediction, predict(model, head(table, 3))$prediction)
  writeLines(strrep(" ", 6000), "large")
  expect_equal(curl("--data-binary", "@large", paste0(address, "predict")), "413")
  expect_equal(curl(paste0(address, "counts")), "200")
  expect_equal(jsonlite::fromJSON("body")$rows, 3)
  process$signal(15L)
  process$wait(10000)
  expect_false(process$is_alive())
  log <- readLines("log.jsonl")
  expect_length(log, 3)
  expect_equal(jsonlite::fromJSON(log[1])[c("status", "rows", "path")], list(status = 200, rows = 3, path = "/predict"))
  expect_no_match(paste(log, collapse = ""), table$firing[1])
  expect_match(paste(readLines("said.txt"), collapse = " "), "Stopped")
})

# Bytes to a service, and what comes back within the seconds; the connection stays open where `keep` says so.
send <- function(port, text, seconds = 0.5, keep = FALSE) {
  socket <- socketConnection("127.0.0.1", port, open = "r+b", blocking = FALSE, timeout = 5)
  if (!keep) on.exit(close(socket))
  writeBin(charToRaw(text), socket)
  if (keep) return(socket)
  came(socket, seconds)
}

came <- function(socket, seconds = 3) {
  prediction <- raw()
  until <- Sys.time() + seconds
  repeat {
    prediction <- c(prediction, readBin(socket, "raw", 1e6))
    if (length(prediction) || Sys.time() > until) return(sub("^HTTP/1.1 ([0-9]+).*$", "\\1", rawToChar(prediction)))
    Sys.sleep(0.02)
  }
}

# Whether nobody is at the other end any more.
lost <- function(socket, text) {
  is_lost <- function(condition) TRUE
  tryCatch(is.null(writeBin(charToRaw(text), socket)) && FALSE, warning = is_lost, error = is_lost)
}

test_that("strangers, bodies that are refused and guests that leave or say nothing are no burden", {
  skip_if_not_installed("httpuv")
  skip_on_os("windows")
  withr::local_dir(withr::local_tempdir())
  write_model(model, "k.hylo")
  process <- callr::r_bg(function() {
    hylomath::serve_model(
      hylomath::read_model("k.hylo"), port = 0, most_idle = 3, most_waiting = 20, token = "a-token-of-its-own",
      log = "/dev/full", ready = function(address) writeLines(address, "address")
    )
  }, stderr = "said.txt", supervise = TRUE)
  until <- Sys.time() + 60
  while (!file.exists("address") && Sys.time() < until) Sys.sleep(0.1)
  Sys.sleep(0.2)
  port <- as.integer(sub("^.*:([0-9]+)/$", "\\1", readLines("address")))
  body <- as_json(head(table[names(table) != "outcome"], 3))
  request <- function(..., path = "/predict", host = "localhost", type = "application/json",
                      token = "a-token-of-its-own", length = nchar(body), sent = body) {
    paste(c(
      paste("POST", path, "HTTP/1.1"), paste0("Host: ", host), if (!is.null(type)) paste("Content-Type:", type),
      if (!is.null(token)) paste("Authorization: Bearer", token),
      if (!is.null(length)) paste("Content-Length:", length),
      ..., "", sent
    ), collapse = "\r\n")
  }
  predicted <- function(...) send(port, request(...), 10)
  expect_equal(predicted(), "200")
  refused <- list(
    "421" = list(host = "evil.example"), "421" = list(host = "evil.example:80"),
    "403" = list("Origin: http://evil.example"), "403" = list("Sec-Fetch-Site: cross-site"),
    "401" = list(token = NULL), "401" = list(token = "a-token-of-its-owm"),
    "415" = list(type = NULL), "415" = list(type = "text/plain"), "415" = list("Content-Encoding: gzip"),
    "411" = list("Transfer-Encoding: chunked", length = NULL, sent = "5\r\nhello\r\n"),
    "413" = list(length = "2000000000"),
    "400" = list("Upgrade: websocket", "Connection: Upgrade"), "422" = list(path = "/predict?type=%ff"),
    "422" = list(path = "/predict?level=-1&type=set"),
    "422" = list(type = "text/csv", sent = strrep("a b ", 2000), length = 8000)
  )
  for (i in seq_along(refused)) {
    expect_equal(do.call(predicted, refused[[i]]), names(refused)[i], info = deparse(refused[[i]], 200)[1])
  }
  expect_equal(predicted("Origin: http://localhost", "Sec-Fetch-Site: same-origin"), "200")
  # another port of this machine is somebody else
  expect_equal(predicted("Origin: http://localhost:8010"), "403")
  packed <- memCompress(charToRaw(strrep("0,", 1e5)), "gzip")
  expect_equal(respond(list(
    REQUEST_METHOD = "POST", PATH_INFO = "/predict", QUERY_STRING = "", HTTP_CONTENT_TYPE = "text/csv",
    rook.input = list(read = function() c(as.raw(c(0x1f, 0x8b)), packed))
  ), service)$status, 422)
  # a browser brings the token once
  for (path in c("/health", "/?token=a-token-of-its-own")) {
    expect_equal(send(port, sprintf("GET %s HTTP/1.1\r\nHost: localhost\r\n\r\n", path), 5), "200")
  }
  # broken off in the midst, more often than R has connections
  for (i in 1:200) {
    close(send(port, request(length = 5000), keep = TRUE))
  }
  expect_equal(predicted(), "200")
  # as many as may be under way have sent half of it; others are told to wait, and none is lost
  half <- nchar(request()) - 40
  waiting <- lapply(1:20, function(i) send(port, substr(request(), 1, half), keep = TRUE))
  Sys.sleep(0.5)
  expect_equal(predicted(), "503")
  for (socket in waiting) writeBin(charToRaw(substring(request(), half + 1)), socket)
  expect_equal(vapply(waiting, came, "", 10), rep("200", 20))
  lapply(waiting, close)
  # who says nothing, or a little now and then, is hung up on
  silent <- send(port, "", keep = TRUE)
  slow <- send(port, "POST /predict HTTP/1.1\r\n", keep = TRUE)
  for (i in 1:14) {
    Sys.sleep(0.5)
    lost(slow, "X-More: yes\r\n")
  }
  for (socket in list(silent, slow)) {
    lost(socket, "X")
    Sys.sleep(0.2)
    expect_true(lost(socket, "X"))
    close(socket)
  }
  expect_equal(predicted(), "200")
  expect_match(paste(readLines("said.txt"), collapse = " "), "log /dev/full can't be written|lines lost")
  process$signal(15L)
  process$wait(15000)
  expect_false(process$is_alive())
  expect_error(serve_model(model, host = "0.0.0.0"), "token")
  expect_error(serve_model(model, host = "0.0.0.0", token = "short"), "16 characters")
})

test_that("a browser predicts in the page as the model does", {
  skip_if(Sys.which("chromium") == "", "there is no browser")
  withr::local_dir(withr::local_tempdir())
  writeLines(transcribe(model, "page"), "page.html", useBytes = TRUE)
  seen <- suppressWarnings(system2("chromium", c(
    "--headless", "--no-sandbox", "--disable-gpu", "--virtual-time-budget=3000", "--dump-dom",
    shQuote(paste0("file://", normalizePath("page.html")))
  ), stdout = TRUE, stderr = FALSE))
  first <- as.data.frame(lapply(stats::setNames(nm = needed_columns(model$predictor)), function(name) {
    field <- Filter(function(f) f$name == name, form_columns(model))[[1]]
    if (field$type == "date") as.Date(NA) else field$value
  }))
  told <- predict(model, first)$prediction
  expect_match(paste(seen, collapse = " "), sprintf("<p id=\"prediction\">%s</p>", told), fixed = TRUE)
})
