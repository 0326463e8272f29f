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
