# A service among mixed guests: an honest one asks all the time, others break off, drip, send in chunks, send what is
# compressed or wide, open connections and say nothing, ask several things at once, ask for another protocol.
#   Rscript hard/guests.R [seconds, 3600 if nothing is said]
# Every honest request has to be served, after what the guest is told to wait; 99 of 100 of them within 2 seconds; and
# the service's memory must not grow in the second half. The exit status says whether that held.
suppressMessages(library(hylomath))
seconds <- as.numeric(c(commandArgs(TRUE), 3600)[1])
set.seed(1)
folder <- tempfile("guests-")
dir.create(folder)
model <- brief(kilns, target = "outcome") |> quick() |> regimen(epochs = 5, seed = 1) |> train(progress = "none")
write_model(model, file.path(folder, "k.hylo"))
rows <- kilns[1:20, setdiff(names(kilns), "outcome")]
rows[] <- lapply(rows, function(x) if (is.numeric(x)) x else as.character(x))
body <- as.character(jsonlite::toJSON(rows, digits = NA))
port <- httpuv::randomPort()
log <- file.path(folder, "log.jsonl")
serving <- callr::r_bg(function(model, port, log) {
  hylomath::serve_model(hylomath::read_model(model), port = port, log = log, most_idle = 20)
}, list(file.path(folder, "k.hylo"), port, log), libpath = .libPaths(), stderr = file.path(folder, "words"))
for (i in 1:200) {
  nothing <- function(condition) NULL
  there <- tryCatch(socketConnection("127.0.0.1", port, timeout = 1), error = nothing, warning = nothing)
  if (!is.null(there)) break
  Sys.sleep(0.1)
}
close(there)

# Functions of both kinds of guests, which run in processes of their own.
shared <- list(
  request = function(body, type = "application/json", more = "", path = "/predict", host = "127.0.0.1") {
    sprintf(
      "POST %s HTTP/1.1\r\nHost: %s\r\nContent-Type: %s\r\n%sContent-Length: %d\r\n\r\n%s", path, host, type, more,
      nchar(body, "bytes"), body
    )
  },
  open = function(port) {
    tryCatch(
      socketConnection("127.0.0.1", port, open = "r+b", blocking = FALSE, timeout = 5),
      error = function(e) NULL, warning = function(w) NULL
    )
  },
  # what comes back, as long as something may come
  heard = function(socket, most) {
    came <- raw()
    until <- proc.time()[[3]] + most
    while (proc.time()[[3]] < until) {
      bytes <- tryCatch(readBin(socket, "raw", 65536), error = function(e) raw())
      came <- c(came, bytes)
      text <- rawToChar(came[came != 0])
      length <- regmatches(text, regexpr("(?i)content-length: *[0-9]+", text, perl = TRUE))
      head <- regexpr("\r\n\r\n", text, fixed = TRUE)
      if (length(length) && head > 0 && nchar(text, "bytes") >= head + 3 + as.numeric(gsub("[^0-9]", "", length))) break
      if (length(bytes) == 0) Sys.sleep(0.005)
    }
    rawToChar(came[came != 0])
  }
)

honest <- callr::r_bg(function(shared, port, body, seconds) {
  list2env(shared, environment())
  until <- proc.time()[[3]] + seconds
  took <- numeric()
  lost <- character()
  waited <- 0
  while (proc.time()[[3]] < until) {
    began <- proc.time()[[3]]
    repeat {
      socket <- open(port)
      prediction <- ""
      if (!is.null(socket)) {
        writeBin(charToRaw(request(body)), socket)
        prediction <- heard(socket, 20)
        close(socket)
      }
      if (grepl("^HTTP/1.1 503", prediction) && proc.time()[[3]] - began < 20) {
        waited <- waited + 1
        Sys.sleep(0.2)
        next
      }
      break
    }
    took <- c(took, proc.time()[[3]] - began)
    if (!grepl("^HTTP/1.1 200", prediction)) lost <- c(lost, substr(prediction, 1, 200))
    Sys.sleep(0.05)
  }
  list(took = took, lost = lost, waited = waited)
}, list(shared, port, body, seconds), libpath = .libPaths())

hostile <- function(seed) {
  callr::r_bg(function(shared, port, body, seconds, seed) {
    list2env(shared, environment())
    set.seed(seed)
    head <- function(more) sprintf("POST /predict HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: text/csv\r\n%s\r\n", more)
    say <- function(socket, text) try(writeBin(if (is.raw(text)) text else charToRaw(text), socket), silent = TRUE)
    one <- function(text, wait = 0) {
      socket <- open(port)
      if (is.null(socket)) return()
      say(socket, text)
      if (wait > 0) heard(socket, wait)
      close(socket)
    }
    kept <- list()
    chunk <- function(n) paste0(format(as.hexmode(n)), "\r\n", strrep("x", n), "\r\n")
    whole <- request(body)
    kinds <- list(
      aborted = function() for (i in 1:30) one(head("Content-Length: 5000\r\n")),
      half_sent = function() for (i in 1:30) one(substr(whole, 1, nchar(whole) %/% 2)),
      slow = function() for (i in 1:10) kept[[length(kept) + 1]] <<- open(port),
      chunked = function() one(paste0(head("Transfer-Encoding: chunked\r\n"), strrep(chunk(1000), 200)), 1),
      endless = function() one(paste0(head("Transfer-Encoding: chunked\r\n"), chunk(1e6)), 0),
      gzip = function() one(paste0(head("Content-Encoding: gzip\r\nContent-Length: 20\r\n"), strrep("x", 20)), 1),
      large = function() one(head("Content-Length: 99999999999\r\n"), 1),
      wide = function() one(request(paste0(strrep("c ", 90000), "\n", strrep("1 ", 90000)), "text/csv"), 5),
      deep = function() one(request(paste0(strrep("[", 50000), strrep("]", 50000))), 5),
      silent = function() for (i in 1:20) kept[[length(kept) + 1]] <<- open(port),
      pipelined = function() one(paste0(whole, whole, whole), 2),
      upgrade = function() {
        one("GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n", 1)
      },
      rebound = function() one(request(body, host = "evil.example"), 1),
      noise = function() one(as.raw(sample(0:255, 2000, TRUE)), 0.2),
      bad_query = function() one(request(body, path = "/predict?type=%ff&level=-1"), 1),
      long_head = function() one(paste0("GET /", strrep("a", 100000), " HTTP/1.1\r\n"), 1),
      many_heads = function() one(paste0("GET / HTTP/1.1\r\n", strrep("X-a: b\r\n", 20000), "\r\n"), 1)
    )
    done <- stats::setNames(rep(0, length(kinds)), names(kinds))
    until <- proc.time()[[3]] + seconds
    while (proc.time()[[3]] < until) {
      kind <- sample(names(kinds), 1)
      kinds[[kind]]()
      done[kind] <- done[kind] + 1
      kept <- Filter(Negate(is.null), kept)
      for (socket in kept) say(socket, sample(c("P", "O", "\r\n", "GET /predict HTTP/1.1\r\nX: y\r\n"), 1))
      while (length(kept) > 60) {
        close(kept[[1]])
        kept <- kept[-1]
      }
      Sys.sleep(stats::runif(1, 0, 0.3))
    }
    for (socket in kept) close(socket)
    done
  }, list(shared, port, body, seconds, seed), libpath = .libPaths())
}
others <- lapply(1:2, hostile)

resident <- function() {
  line <- grep("^VmRSS", readLines(sprintf("/proc/%d/status", serving$get_pid())), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
memory <- numeric()
while (honest$is_alive()) {
  if (!serving$is_alive()) break
  memory <- c(memory, resident())
  Sys.sleep(min(5, seconds / 20))
}
invisible(honest$wait(60000))
came <- honest$get_result()
for (other in others) other$wait(60000)
done <- Reduce(`+`, lapply(others, function(other) other$get_result()))
alive <- serving$is_alive()
invisible(serving$interrupt())
invisible(serving$wait(10000))
halves <- split(memory, seq_along(memory) > length(memory) / 2)
highest <- vapply(halves, max, 0)
slowest <- stats::quantile(came$took, c(0.5, 0.99, 1), names = FALSE)
cat(sprintf("hostile: %s\n", paste(sprintf("%s %d", names(done), done), collapse = ", ")))
cat(sprintf(
  "honest: %d requests, %d not served, %d times told to wait; ", length(came$took), length(came$lost), came$waited
))
cat(sprintf("median %.3f s, 99 of 100 within %.3f s, longest %.2f s\n", slowest[1], slowest[2], slowest[3]))
for (said in utils::head(unique(came$lost), 5)) cat("  ", said, "\n")
cat(sprintf("memory: at most %.0f MiB in the first half, %.0f MiB in the second\n", highest[1], highest[2]))
cat(sprintf("service: %s at the end; it said: %s\n", if (alive) "alive" else "dead",
  paste(utils::tail(readLines(file.path(folder, "words")), 3), collapse = " / ")))
grown <- highest[2] > highest[1] + max(20, 0.1 * highest[1])
quit(status = if (!alive || length(came$lost) || slowest[2] > 2 || grown) 1 else 0)
