#' Serve a network's predictions
#'
#' A scoring service over HTTP: rows come as JSON or CSV, predictions go back, with the same checks and messages as
#' [predict()][predict.hylomath_model]. It listens on this machine alone unless another host is named, keeps nothing of
#' the rows it is given, and evaluates nothing that it is sent.
#'
#' @section Paths:
#' - `POST /predict`: rows as JSON (`{"rows": [{...}, ...]}`, a list of rows, or one) or as CSV (`Content-Type:
#'   text/csv`); the query may say `type`, `level`, `bad_cells`, `flags=true`. The response is JSON, or CSV where that
#'   was sent or `Accept: text/csv` says so.
#' - `GET /`: a form to try the network by hand; `GET /model` what it is and takes in; `GET /openapi.json` an OpenAPI
#'   3.1 description; `GET /health`; `GET /counts` how many requests there were and what they took.
#'
#' @section Limits: What is too large is refused with status 413, a body without its length with 411, and what is too
#'   much at a time with 503, before a body is read; bodies that are compressed are not unpacked. A connection that has
#'   sent no whole request for `most_idle` seconds is closed. R responds to one request after the other; of
#'   several that a client sends at once without waiting for responses (pipelining) none is served. Several services
#'   behind a proxy serve more.
#' @section Who may ask: Requests that name another host than `host` and `hosts`, or come from a page of another origin,
#'   are refused, so that no page in a browser on this machine can ask the service. Beyond this machine it listens with
#'   a `token` alone, which each request but that for `/health` has to bring: `Authorization: Bearer TOKEN`, or once in
#'   the address as `?token=TOKEN` for a browser. A service has no encryption: let a front server do that, see the
#'   chapter "To work" of the guide.
#' @param model A model.
#' @param port,host Where it listens; port 0 takes a free one.
#' @param hosts Other names by which it is called, such as that of a front server.
#' @param token A secret of 16 characters or more; needed where `host` is not of this machine alone. `NULL` for none.
#' @param most_bytes,most_rows,most_seconds,most_waiting,most_idle The limits: bytes of a body, rows of a request,
#'   seconds that one may take, requests that are under way at a time (100 at most), and seconds without a whole
#'   request.
#' @param log A file that gets a line of JSON for each request (time, method, path, status, rows, bytes, milliseconds;
#'   never a value of a row), `"-"` for standard error, or `NULL`.
#' @param ready A function that is called with the address once it listens.
#' @return Nothing; it ends by Ctrl-C or SIGTERM, after the requests that have come in.
#' @section Errors: A port that is taken; a host that isn't this machine's; no token where one is needed.
#' @examples
#' \dontrun{
#' serve_model(read_model("kilns.hylo"))
#' }
#' @export
serve_model <- function(model, port = 8010, host = "127.0.0.1", hosts = NULL, token = NULL, most_bytes = 1e7,
                        most_rows = 1e5, most_seconds = 30, most_waiting = 100, most_idle = 60, log = NULL,
                        ready = NULL) {
  check_model(model)
  rlang::check_installed("httpuv", "to serve a network")
  type_count(65535, from = 0)(port, "port")
  if (!is_text(host, 1)) fail(sprintf("`host` is one text, not %s.", describe(host)))
  if (!is.null(hosts) && !is_text(hosts)) fail(sprintf("`hosts` are names, not %s.", describe(hosts)))
  check_token(token, host)
  limits <- list(
    bytes = most_bytes, rows = most_rows, seconds = most_seconds, waiting = most_waiting, idle = most_idle
  )
  for (name in names(limits)) type_limit()(limits[[name]], paste0("most_", name))
  # a body that comes in parts takes one of the 128 connections of R
  type_count(100)(most_waiting, "most_waiting")
  if (port == 0) port <- httpuv::randomPort(host = host)
  service <- new_service(model, limits, log, list(
    hosts = c(host, hosts), token = token, port = port, open = "/health"
  ))
  on.exit(service$guests$close())
  server <- tryCatch(
    httpuv::startServer(host, as.integer(port), service$app, quiet = TRUE),
    error = function(e) fail_to_listen("The service", host, port)
  )
  core_note_signals(TRUE)
  on.exit({
    httpuv::stopServer(server)
    core_note_signals(FALSE)
  }, add = TRUE, after = FALSE)
  address <- sprintf("http://%s:%s/", if (grepl(":", host, fixed = TRUE)) sprintf("[%s]", host) else host, port)
  if (!is.null(ready)) ready(address)
  while (!core_asked_to_stop()) {
    httpuv::service(200)
    service$guests$look_round()
  }
  # those that have come in are still served, and others are told
  service$guests$stop()
  ends <- proc.time()[["elapsed"]] + min(most_seconds, 10)
  repeat {
    for (i in 1:10) httpuv::service(20)
    service$guests$look_round()
    if (service$guests$under_way() == 0 || proc.time()[["elapsed"]] > ends) break
  }
  invisible()
}

# The service of a model: `app`, what the server calls, and `guests`, the clients that are connected.
new_service <- function(model, limits, log, door) {
  write_log <- log_writer(log)
  counts <- new_counts()
  facts <- list(model = model, identity = identity_of(model), limits = limits, counts = counts)
  facts$pages <- served_pages(model)
  guests <- new_guests(door$port, limits)
  responded <- function(request, response, began) {
    took <- 1000 * (proc.time()[["elapsed"]] - began)
    lost <- write_log(list(
      time = format(Sys.time(), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), method = request$REQUEST_METHOD,
      path = substr(request$PATH_INFO, 1, 200), status = response$status, rows = response$rows %||% 0,
      bytes = length_of_body(request), milliseconds = round(took, 2)
    ))
    counts$add(request, response, took, lost)
    response[c("status", "headers", "body")]
  }
  app <- list(
    onHeaders = function(request) {
      refused <- refused_at_the_door(request, door, limits, guests)
      if (is.null(refused)) {
        guests$begins(request)
        return(NULL)
      }
      refused$headers$Connection <- "close"
      guests$refuses(request)
      responded(request, refused, proc.time()[["elapsed"]])
    },
    call = function(request) {
      began <- proc.time()[["elapsed"]]
      on.exit(guests$ends(request, proc.time()[["elapsed"]] - began))
      responded(request, with_token_kept(respond(request, facts), request, door), began)
    },
    onWSOpen = function(socket) socket$close()
  )
  list(app = app, guests = guests)
}

# ---- log and counts -----------------------------------------------------------------------------------------------

# Writes a line, and says whether it was lost.
log_writer <- function(log) {
  if (is.null(log)) return(function(line) FALSE)
  if (identical(log, "-")) {
    return(function(line) {
      cat(json_line_text(line), file = stderr())
      FALSE
    })
  }
  add <- function(text) core_append_file(path.expand(log), charToRaw(text))
  if (add("") != "") fail(sprintf("The log %s can't be written.", describe(log)))
  told <- FALSE
  function(line) {
    lost <- add(json_line_text(line))
    if (lost != "" && !told) {
      told <<- TRUE
      what <- "The log %s can't be written: %s. Requests are served, and lines lost.\n"
      cat(sprintf(what, log, lost), file = stderr())
    }
    if (lost == "") told <<- FALSE
    lost != ""
  }
}

json_line_text <- function(line) paste0(jsonlite::toJSON(line, auto_unbox = TRUE, digits = NA), "\n")

# How many requests there were, by path and status, and what they took; of times the last thousand.
new_counts <- function() {
  began <- Sys.time()
  by <- list()
  rows <- 0
  lines_lost <- 0
  times <- numeric(1000)
  n <- 0
  known <- c("/", "/predict", "/model", "/openapi.json", "/health", "/counts")
  list(
    add = function(request, response, took, lost = FALSE) {
      lines_lost <<- lines_lost + lost
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
        log_lines_lost = lines_lost,
        milliseconds = if (n > 0) {
          as.list(stats::setNames(stats::quantile(last, c(0.5, 0.9, 0.99)), c("half", "nine_tenths", "p99")))
        }
      )
    }
  )
}

# ---- pages -----------------------------------------------------------------------------------------------------------

# What a service tells of itself: its model, its description for programs, and a form for people.

served_pages <- function(model) {
  list(
    "/" = text_response(form_page(model, asks_service), "text/html"),
    "/model" = json_response(served_model(model)), "/openapi.json" = json_response(openapi_of(model))
  )
}

# Nothing of single rows.
served_model <- function(model) {
  target <- target_in(model)
  list(
    network = identity_of(model), target = I(target$columns), task = target$task,
    classes = if (!is.null(target$classes)) I(target$classes),
    columns = lapply(form_columns(model), function(column) {
      column[intersect(c("name", "type", "low", "high", "levels"), names(column))]
    }),
    rule = rule_text(model$predictor), wiring = wiring_text(model), parameters = all_parameters(model$predictor),
    version = model$version
  )
}

openapi_of <- function(model) {
  columns <- form_columns(model)
  schema_of <- function(column) {
    type <- switch(column$type, number = "number", flag = "boolean", "string")
    drop_nulls(list(
      type = I(c(type, "null")), format = if (column$type == "date") "date", description = column$told
    ))
  }
  row <- list(
    type = "object", properties = stats::setNames(lapply(columns, schema_of), vapply(columns, `[[`, "", "name")),
    required = I(vapply(columns, `[[`, "", "name"))
  )
  predictions <- prediction_names(target_in(model))
  numeric <- !has_classes(target_in(model)) | predictions != "prediction"
  prediction <- list(type = "object", properties = stats::setNames(
    lapply(numeric, function(n) list(type = I(c(if (n) "number" else "string", "null")))), predictions
  ))
  refers <- function(name) list("$ref" = paste0("#/components/schemas/", name))
  json <- function(schema) list("application/json" = list(schema = schema))
  error <- function(what) list(description = what, content = json(refers("problem")))
  parameter <- function(name, schema, told) list(name = name, "in" = "query", schema = schema, description = told)
  get <- function(what) list(get = list(summary = what, responses = list("200" = list(description = what))))
  list(
    openapi = "3.1.0",
    info = list(
      title = sprintf("A network that predicts %s", enumerate(target_in(model)$columns)), version = identity_of(model)
    ),
    paths = list(
      "/predict" = list(post = list(
        summary = "Predict rows",
        parameters = list(
          parameter("type", list(type = "string", enum = I(c("auto", prediction_types))), "What is predicted"),
          parameter("level", list(type = "number"), "The share of rows that an interval or set is to hold"),
          parameter("bad_cells", list(type = "string", enum = I(ways_with_bad_cells)), "What becomes of bad cells"),
          parameter("flags", list(type = "boolean"), "Whether what is unusual about each row is named")
        ),
        requestBody = list(required = TRUE, content = c(
          json(list(type = "object", properties = list(rows = list(type = "array", items = refers("row"))))),
          list("text/csv" = list(schema = list(type = "string")))
        )),
        responses = list(
          "200" = list(description = "The predictions, a row each", content = c(
            json(list(type = "object", properties = list(
              network = list(type = "string"), rule = list(type = "string"),
              predictions = list(type = "array", items = refers("prediction"))
            ))), list("text/csv" = list(schema = list(type = "string")))
          )),
          "413" = error("Too many bytes or rows"), "415" = error("Neither JSON nor CSV"),
          "422" = error("Rows that can't be predicted, and why"), "503" = error("Too much at a time, or too long")
        )
      )),
      "/model" = get("What the network is"), "/health" = get("Whether it is there"),
      "/counts" = get("Requests so far"), "/openapi.json" = get("This description")
    ),
    components = list(schemas = list(
      row = row, prediction = prediction, problem = list(type = "object", properties = list(
        error = list(type = "string"), try = list(type = "string")
      ), required = I("error"))
    ))
  )
}
