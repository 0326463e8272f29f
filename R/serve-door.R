# Who may ask a service, and for what: requests are refused by their headers, before a body is read.
#
# A *door* is list(hosts, token, port, open): the names that the service responds to, its secret or NULL, its port, and
# the paths that need no secret.

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

# Why nobody can be listened to there.
fail_to_listen <- function(what, host, port) {
  fail(
    sprintf("%s can't listen on %s, port %s.", what, host, format_number(port)),
    "Is another one there already? Another port: port = 0 takes a free one."
  )
}

length_of_body <- function(request) suppressWarnings(as.numeric(request$HTTP_CONTENT_LENGTH %||% "0"))

# The response to a request that is refused by its headers, before its body is read; NULL for others.
refused_at_the_door <- function(request, door, limits, guests) {
  # who has left already has no port any more
  if (identical(as.character(request$REMOTE_PORT), "0")) return(unavailable("The connection was broken off."))
  stranger <- refused_stranger(request, door)
  if (!is.null(stranger)) return(stranger)
  if (!is.null(request$HTTP_UPGRADE)) return(problem(400, "The service speaks HTTP only, without upgrades."))
  if (!is.null(request$HTTP_TRANSFER_ENCODING)) {
    return(problem(411, "The body has no length.", "Send Content-Length, and the body as it is."))
  }
  if (!tolower(request$HTTP_CONTENT_ENCODING %||% "identity") %in% c("identity", "")) {
    return(problem(415, "The body is compressed.", "Send it as it is."))
  }
  length <- length_of_body(request)
  if (is.na(length) || length < 0) return(problem(400, "The length of the body is not a number."))
  if (length > limits$bytes) {
    return(too_large(sprintf("The body has %s bytes", format_count(length)), limits$bytes, "bytes"))
  }
  if (guests$stopped()) return(unavailable("The service is being stopped."))
  if (guests$under_way() >= limits$waiting) return(unavailable("Too many requests are under way."))
  NULL
}

unavailable <- function(what) {
  response <- problem(503, what, "Try again in a second.")
  response$headers[["Retry-After"]] <- "1"
  response
}

# A web page from elsewhere can send requests to whatever listens on this machine, also under a name that leads here
# (DNS rebinding). So the host and the origin of a request are checked, and then the token.
refused_stranger <- function(request, door) {
  called <- host_of(request$HTTP_HOST)
  if (is.na(called) || !is_called(called, door)) {
    return(problem(421, "The service is called by another name.", "It responds only to those of `host` and `hosts`."))
  }
  from <- request$HTTP_ORIGIN
  # with its port: cookies go to every port of a host
  own <- is.null(from) || identical(sub("^https?://", "", tolower(from)), tolower(request$HTTP_HOST))
  if (!own || tolower(request$HTTP_SEC_FETCH_SITE %||% "none") == "cross-site") {
    return(problem(403, "A page of another origin may not ask the service."))
  }
  if (!has_token(request, door)) {
    refused <- problem(401, "The request has no token of this service.", "Send Authorization: Bearer TOKEN.")
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
  if (is.null(door$token) || request$PATH_INFO %in% door$open) return(TRUE)
  same_secret(sub("^Bearer +", "", request$HTTP_AUTHORIZATION %||% ""), door$token) ||
    same_secret(token_in_query(request), door$token) || same_secret(token_in_cookie(request, door), door$token)
}

token_in_query <- function(request) {
  query <- request$QUERY_STRING %||% ""
  found <- regmatches(query, regexpr("(?<=[?&]token=)[^&]*", query, perl = TRUE))
  if (length(found)) found else ""
}

token_in_cookie <- function(request, door) {
  cookies <- strsplit(request$HTTP_COOKIE %||% "", "; *")[[1]]
  own <- paste0("hylomath_", door$port, "=")
  found <- cookies[startsWith(cookies, own)]
  if (length(found)) substring(found[1], nchar(own) + 1) else ""
}

# By digests, so that the time it takes tells nothing of how much is right.
same_secret <- function(given, secret) identical(rlang::hash(given), rlang::hash(secret))

# Who has brought the token in the address, as a browser does, need not bring it again.
with_token_kept <- function(response, request, door) {
  if (is.null(door$token) || !same_secret(token_in_query(request), door$token)) return(response)
  response$headers[["Set-Cookie"]] <- sprintf(
    "hylomath_%s=%s; HttpOnly; SameSite=Strict; Path=/", format_number(door$port), door$token
  )
  response
}

# ---- guests ----------------------------------------------------------------------------------------------------------

# The clients that are connected to a service. The server's library knows no time limits and doesn't say when a client
# has left, so the system is asked.

# By address: since when the client has sent no whole request, and the requests that are under way. A request that was
# broken off ends with its connection. Time in which R responds to another request doesn't count.
new_guests <- function(port, limits) {
  since <- numeric()
  asking <- list()
  stopped <- FALSE
  opened <- NULL
  # the server's library closes what it was given as a request's body
  nowhere <- function() {
    if (!is_valid_connection(opened)) opened <<- file(nullfile(), "wb")
    opened
  }
  responding <- 0
  now <- function() proc.time()[["elapsed"]] - responding
  last <- now()
  of <- function(request) paste0(request$REMOTE_ADDR, ":", request$REMOTE_PORT)
  count_again <- function() {
    there <- core_connected(port)
    gone <- setdiff(names(asking), there)
    lapply(asking[gone], drop_body, nowhere())
    asking[gone] <<- NULL
    new <- setdiff(there, names(since))
    since <<- c(since[intersect(names(since), there)], stats::setNames(rep(now(), length(new)), new))
  }
  list(
    begins = function(request) asking[[of(request)]] <<- request,
    refuses = function(request) drop_body(request, nowhere()),
    ends = function(request, seconds) {
      asking[[of(request)]] <<- NULL
      responding <<- responding + seconds
      since[of(request)] <<- now()
    },
    under_way = function() {
      if (length(asking) >= limits$waiting) count_again()
      length(asking)
    },
    look_round = function() {
      if (now() - last < 1 && !stopped) return(invisible())
      last <<- now()
      count_again()
      core_hang_up(port, as.character(names(since)[now() - since > limits$idle]))
    },
    stop = function() stopped <<- TRUE,
    close = function() if (is_valid_connection(opened)) close(opened),
    stopped = function() stopped
  )
}

is_valid_connection <- function(x) !is.null(x) && tryCatch(isOpen(x), error = function(e) FALSE)

# The server's library keeps a body that comes in parts in one of R's 128 connections, and leaves it to R to close those
# of requests that were broken off, which is too late when many are. The rest of such a body is thrown away.
drop_body <- function(request, nowhere) {
  body <- request$.bodyData
  request$.bodyData <- nowhere
  if (!is.null(body)) close(body)
}
