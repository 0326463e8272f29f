#' Serve a network's answers
#'
#' A scoring service over HTTP: rows come as JSON or CSV, answers go back, with the same checks and messages as
#' [predict()][predict.hylomath_model]. It listens on this machine alone unless another host is named, keeps nothing of
#' the rows it is given, and evaluates nothing that it is sent.
#'
#' @section Paths:
#' - `POST /answer`: rows as JSON (`{"rows": [{...}, ...]}`, a list of rows, or one) or as CSV (`Content-Type:
#'   text/csv`); the query may say `type`, `level`, `bad_cells`, `flags=true`. The answer is JSON, or CSV where that was
#'   sent or `Accept: text/csv` says so.
#' - `GET /`: a form to try the network by hand; `GET /model` what it is and takes in; `GET /openapi.json` an OpenAPI
#'   3.1 description; `GET /health`; `GET /counts` how many requests there were and what they took.
#'
#' @section Limits: What is too large is refused with status 413 and what is too much at a time with 503. R answers one
#'   request after the other: several services behind a proxy answer more.
#' @param model A model.
#' @param port,host Where it listens; port 0 takes a free one.
#' @param most_bytes,most_rows,most_seconds,most_waiting The limits: bytes of a body, rows of a request, seconds that
#'   one may take, and requests that are under way at a time.
#' @param log A file that gets a line of JSON for each request (time, method, path, status, rows, bytes, milliseconds;
#'   never a value of a row), `"-"` for standard error, or `NULL`.
#' @param ready A function that is called with the address once it listens.
#' @return Nothing; it ends by Ctrl-C or SIGTERM, after the request under way.
#' @section Errors: A port that is taken; a host that isn't this machine's.
#' @examples
#' \dontrun{
#' serve_model(read_model("kilns.hylo"))
#' }
#' @export
serve_model <- function(model, port = 8010, host = "127.0.0.1", most_bytes = 1e7, most_rows = 1e5, most_seconds = 30,
                        most_waiting = 256, log = NULL, ready = NULL) {
  check_model(model)
  rlang::check_installed("httpuv", "to serve a network")
  type_count(65535, from = 0)(port, "port")
  limits <- list(bytes = most_bytes, rows = most_rows, seconds = most_seconds, waiting = most_waiting)
  for (name in names(limits)) type_limit()(limits[[name]], paste0("most_", name))
  if (port == 0) port <- httpuv::randomPort(host = host)
  service <- new_service(model, limits, log)
  server <- tryCatch(
    httpuv::startServer(host, as.integer(port), service$app, quiet = TRUE),
    error = function(e) {
      what <- sprintf("The service can't listen on %s, port %s.", host, format_number(port))
      fail(what, "Is another one there already? Another port: port = 0 takes a free one.")
    }
  )
  core_note_signals(TRUE)
  on.exit({
    httpuv::stopServer(server)
    core_note_signals(FALSE)
    service$close()
  })
  address <- sprintf("http://%s:%s/", if (grepl(":", host, fixed = TRUE)) sprintf("[%s]", host) else host, port)
  if (!is.null(ready)) ready(address)
  while (!core_asked_to_stop()) httpuv::service(200)
  # those that have been sent in full are answered still
  for (i in 1:20) httpuv::service(10)
  invisible()
}

# The service of a model: `app`, what the server calls; `close`.
new_service <- function(model, limits, log) {
  out <- open_log(log)
  counts <- new_counts()
  facts <- list(model = model, identity = identity_of(model), limits = limits, counts = counts)
  facts$pages <- served_pages(model)
  waiting <- 0
  answered <- function(request, response, began) {
    took <- 1000 * (proc.time()[["elapsed"]] - began)
    counts$add(request, response, took)
    out$write(list(
      time = format(Sys.time(), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), method = request$REQUEST_METHOD,
      path = substr(request$PATH_INFO, 1, 200), status = response$status, rows = response$rows %||% 0,
      bytes = length_of_body(request), milliseconds = round(took, 2)
    ))
    response[c("status", "headers", "body")]
  }
  app <- list(
    onHeaders = function(request) {
      length <- suppressWarnings(as.numeric(request$HTTP_CONTENT_LENGTH %||% "0"))
      if (isTRUE(length > limits$bytes)) {
        refused <- too_large(sprintf("The body has %s bytes", format_count(length)), limits$bytes, "bytes")
        return(answered(request, refused, proc.time()[["elapsed"]]))
      }
      if (waiting >= limits$waiting) {
        busy <- problem(503, "Too many requests are under way.", "Try again.")
        return(answered(request, busy, proc.time()[["elapsed"]]))
      }
      waiting <<- waiting + 1
      NULL
    },
    call = function(request) {
      on.exit(waiting <<- max(0, waiting - 1))
      began <- proc.time()[["elapsed"]]
      answered(request, respond(request, facts), began)
    }
  )
  list(app = app, close = out$close)
}

length_of_body <- function(request) suppressWarnings(as.numeric(request$HTTP_CONTENT_LENGTH %||% "0"))

open_log <- function(log) {
  if (is.null(log)) return(list(write = function(line) NULL, close = function() NULL))
  if (identical(log, "-")) {
    return(list(write = function(line) cat(json_line_text(line), file = stderr()), close = function() NULL))
  }
  connection <- tryCatch(suppressWarnings(file(log, "a")), error = function(e) {
    fail(sprintf("The log %s can't be written.", describe(log)))
  })
  list(
    write = function(line) {
      cat(json_line_text(line), file = connection)
      flush(connection)
    },
    close = function() close(connection)
  )
}

json_line_text <- function(line) paste0(jsonlite::toJSON(line, auto_unbox = TRUE, digits = NA), "\n")

# How many requests there were, by path and status, and what they took; of times the last thousand.
new_counts <- function() {
  began <- Sys.time()
  by <- list()
  rows <- 0
  times <- numeric(1000)
  n <- 0
  known <- c("/", "/answer", "/model", "/openapi.json", "/health", "/counts")
  list(
    add = function(request, response, took) {
      path <- if (request$PATH_INFO %in% known) request$PATH_INFO else "other"
      key <- paste(path, response$status)
      by[[key]] <<- (by[[key]] %||% 0) + 1
      rows <<- rows + (response$rows %||% 0)
      times[n %% 1000 + 1] <<- took
      n <<- n + 1
    },
    facts = function() {
      last <- times[seq_len(min(n, 1000))]
      list(
        since = format(began, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"), requests = n, rows = rows, by = by,
        milliseconds = if (n > 0) {
          as.list(stats::setNames(stats::quantile(last, c(0.5, 0.9, 0.99)), c("half", "nine_tenths", "p99")))
        }
      )
    }
  )
}
