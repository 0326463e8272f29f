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
#' @section Limits: What is too large is refused with status 413, a body without its length with 411, and what is too
#'   much at a time with 503, before a body is read; bodies that are compressed are not unpacked. Who is connected and
#'   has sent no whole request for `most_idle` seconds is hung up on. R answers one request after the other; of several
#'   that a client sends at once without waiting for answers (pipelining) none is answered. Several services behind a
#'   proxy answer more.
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
  service <- new_service(model, limits, log, list(hosts = c(host, hosts), token = token, port = port))
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
    service$guests$leave()
  })
  address <- sprintf("http://%s:%s/", if (grepl(":", host, fixed = TRUE)) sprintf("[%s]", host) else host, port)
  if (!is.null(ready)) ready(address)
  while (!core_asked_to_stop()) {
    httpuv::service(200)
    service$guests$look_round()
  }
  # those that have come in are answered still, and others are told
  service$guests$close_door()
  ends <- proc.time()[["elapsed"]] + min(most_seconds, 10)
  repeat {
    for (i in 1:10) httpuv::service(20)
    service$guests$look_round()
    if (service$guests$under_way() == 0 || proc.time()[["elapsed"]] > ends) break
  }
  invisible()
}

is_loopback <- function(host) grepl("^(localhost|127[.][0-9.]+|::1|\\[::1\\])$", tolower(host))

check_token <- function(token, host) {
  if (is.null(token) && is_loopback(host)) return(invisible())
  if (is.null(token)) {
    fail(
      sprintf("Whoever reaches %s could ask the service.", quoted(host)),
      "Give it a token (token =, or HYLOMATH_TOKEN for the command), or let a front server call it on 127.0.0.1."
    )
  }
  if (!is_text(token, 1) || nchar(token) < 16 || !grepl("^[A-Za-z0-9._~-]+$", token)) {
    fail("A token is one text of 16 characters or more, of letters, digits and the signs . _ ~ -")
  }
}

# The service of a model: `app`, what the server calls, and `guests`, those who are connected.
new_service <- function(model, limits, log, door) {
  write_log <- log_writer(log)
  counts <- new_counts()
  facts <- list(model = model, identity = identity_of(model), limits = limits, counts = counts)
  facts$pages <- served_pages(model)
  guests <- new_guests(door$port, limits)
  answered <- function(request, response, began) {
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
      guests$turns_away(request)
      answered(request, refused, proc.time()[["elapsed"]])
    },
    call = function(request) {
      began <- proc.time()[["elapsed"]]
      on.exit(guests$ends(request, proc.time()[["elapsed"]] - began))
      answered(request, with_token_kept(respond(request, facts), request, door), began)
    },
    onWSOpen = function(socket) socket$close()
  )
  list(app = app, guests = guests)
}

length_of_body <- function(request) suppressWarnings(as.numeric(request$HTTP_CONTENT_LENGTH %||% "0"))

# What is known to be refused before a body is read; NULL for what may come in.
refused_at_the_door <- function(request, door, limits, guests) {
  # who has left already has no port any more
  if (identical(as.character(request$REMOTE_PORT), "0")) return(busy("The connection was broken off."))
  stranger <- refused_stranger(request, door)
  if (!is.null(stranger)) return(stranger)
  if (!is.null(request$HTTP_UPGRADE)) return(problem(400, "The service speaks HTTP alone; it upgrades to nothing."))
  if (!is.null(request$HTTP_TRANSFER_ENCODING)) {
    return(problem(411, "The body has no length.", "Send Content-Length, and the body as it is."))
  }
  if (!tolower(request$HTTP_CONTENT_ENCODING %||% "identity") %in% c("identity", "")) {
    return(problem(415, "The body is compressed.", "Send it as it is."))
  }
  length <- length_of_body(request)
  if (is.na(length) || length < 0) return(problem(400, "The length of the body is no number."))
  if (length > limits$bytes) {
    return(too_large(sprintf("The body has %s bytes", format_count(length)), limits$bytes, "bytes"))
  }
  if (guests$closed()) return(busy("The service is being stopped."))
  if (guests$under_way() >= limits$waiting) return(busy("Too many requests are under way."))
  NULL
}

busy <- function(what) {
  response <- problem(503, what, "Try again in a second.")
  response$headers[["Retry-After"]] <- "1"
  response
}

# A page of another origin may ask whatever listens on this machine, under a name that leads here (rebinding): so both
# are looked at. Beyond that there is the token.
refused_stranger <- function(request, door) {
  called <- host_of(request$HTTP_HOST)
  if (is.na(called) || !is_called(called, door)) {
    return(problem(421, "The service is called by another name.", "It answers to those of `host` and `hosts` alone."))
  }
  from <- request$HTTP_ORIGIN
  own <- is.null(from) || identical(host_of(sub("^https?://", "", from)), called)
  if (!own || tolower(request$HTTP_SEC_FETCH_SITE %||% "none") == "cross-site") {
    return(problem(403, "A page of another origin may not ask the service."))
  }
  if (!has_token(request, door)) {
    refused <- problem(401, "The request brings no token of this service.", "Send Authorization: Bearer TOKEN.")
    refused$headers[["WWW-Authenticate"]] <- "Bearer"
    return(refused)
  }
  NULL
}

# "127.0.0.1" of "127.0.0.1:8010", NA of what is no host.
host_of <- function(text) {
  host <- tolower(sub(":[0-9]+$", "", text %||% ""))
  if (grepl("^([a-z0-9._-]+|\\[[0-9a-f:.]+\\])$", host)) gsub("[][]", "", host) else NA_character_
}

is_called <- function(host, door) {
  own <- gsub("[][]", "", tolower(door$hosts))
  # who listens at all addresses can't know them, and has a token
  any(own %in% c("0.0.0.0", "::")) || host %in% own || (any(is_loopback(own)) && is_loopback(host))
}

has_token <- function(request, door) {
  if (is.null(door$token) || request$PATH_INFO == "/health") return(TRUE)
  same_secret(sub("^Bearer +", "", request$HTTP_AUTHORIZATION %||% ""), door$token) ||
    same_secret(token_in_query(request), door$token) || same_secret(token_in_cookie(request, door), door$token)
}

token_in_query <- function(request) {
  query <- request$QUERY_STRING %||% ""
  found <- regmatches(query, regexpr("(?<=[?&]token=)[^&]*", query, perl = TRUE))
  if (length(found)) utils::URLdecode(found) else ""
}

token_in_cookie <- function(request, door) {
  cookies <- strsplit(request$HTTP_COOKIE %||% "", "; *")[[1]]
  own <- paste0("hylomath_", door$port, "=")
  found <- cookies[startsWith(cookies, own)]
  if (length(found)) substring(found[1], nchar(own) + 1) else ""
}

# In the same time however much of it is right.
same_secret <- function(given, secret) {
  identical(digest_of(given), digest_of(secret))
}

digest_of <- function(text) rlang::hash(charToRaw(text))

# Who has brought the token in the address, as a browser does, need not bring it again.
with_token_kept <- function(response, request, door) {
  if (is.null(door$token) || !same_secret(token_in_query(request), door$token)) return(response)
  response$headers[["Set-Cookie"]] <- sprintf(
    "hylomath_%s=%s; HttpOnly; SameSite=Strict; Path=/", format_number(door$port), door$token
  )
  response
}

# ---- who is connected ---------------------------------------------------------------------------------------------

# Those who are connected, by address: since when no whole request of theirs has come, and the requests of theirs that
# are under way. A request that was broken off ends with its connection. Time that passes while a request is answered is
# nobody's fault.
new_guests <- function(port, limits) {
  since <- numeric()
  asking <- list()
  closed <- FALSE
  nowhere <- file(nullfile(), "wb")
  busy <- 0
  now <- function() proc.time()[["elapsed"]] - busy
  last <- now()
  of <- function(request) paste0(request$REMOTE_ADDR, ":", request$REMOTE_PORT)
  count_again <- function() {
    there <- core_connected(port)
    gone <- setdiff(names(asking), there)
    lapply(asking[gone], drop_body, nowhere)
    asking[gone] <<- NULL
    new <- setdiff(there, names(since))
    since <<- c(since[intersect(names(since), there)], stats::setNames(rep(now(), length(new)), new))
  }
  list(
    begins = function(request) asking[[of(request)]] <<- request,
    turns_away = function(request) drop_body(request, nowhere),
    ends = function(request, seconds) {
      asking[[of(request)]] <<- NULL
      busy <<- busy + seconds
      since[of(request)] <<- now()
    },
    under_way = function() {
      if (length(asking) >= limits$waiting) count_again()
      length(asking)
    },
    look_round = function() {
      if (now() - last < 1 && !closed) return(invisible())
      last <<- now()
      count_again()
      core_hang_up(port, as.character(names(since)[now() - since > limits$idle]))
    },
    close_door = function() closed <<- TRUE,
    leave = function() close(nowhere),
    closed = function() closed
  )
}

# The server's library keeps a body that comes in parts in one of R's 128 connections, and leaves it to R to close those
# of requests that were broken off, which is too late when many are. What still comes of such a body goes nowhere.
drop_body <- function(request, nowhere) {
  body <- request$.bodyData
  request$.bodyData <- nowhere
  if (!is.null(body)) close(body)
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
      what <- "The log %s can't be written: %s. Requests are answered, and lines lost.\n"
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
  known <- c("/", "/answer", "/model", "/openapi.json", "/health", "/counts")
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
