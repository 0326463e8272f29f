#' Open a desk: the same verbs on a page
#'
#' A page in the browser for those who do not write code: open a table, say what to predict, watch the curves, stop,
#' read how good the network is, set the rule by how many rows can be looked at, and take a ranked list away. Each thing
#' that is done gets a sheet with its line of code, and all lines together are a script that gives the same bits in a
#' fresh session. Nothing is done on the page that the verbs of this package don't do.
#'
#' @section The folder: Everything lives in the folder as files that the verbs read and write: `tables`, `briefs`,
#'   `models`, `results`, `lists`, `reports`, the script (`script.R`, and `script.sh` for the command), and
#'   `record.jsonl`, a line with a checksum for each thing that was done. A desk that is opened again stands as it was
#'   left; a training that was killed goes on to the same weights. One process at a time opens a folder, as many windows
#'   as you like.
#' @section Who may ask: It listens on this machine alone. The address has a token, by which the browser is known from
#'   then on; requests and sockets without it, of a page of another origin, or under another name are refused, and
#'   nothing is loaded from elsewhere. What lies outside of the folder can't be reached.
#' @section Time: All that takes long runs in processes of its own, one training at a time; those that wait can be put
#'   in another order. Closing the page stops nothing. **Stop** does what Ctrl-C does: a single network keeps its best
#'   epoch so far, an ensemble the folds that have ended. Where it was stopped is written into the brief, so that the
#'   script stops there too.
#' @param table What to begin with: the path of a table, a brief, a model or a folder of a desk; a data frame; or
#'   `NULL`.
#' @param folder The desk's folder; by default `desk` in the working directory, or beside the file.
#' @param port Where it listens; 0 takes a free one.
#' @param open Whether to open the browser; if not, the address is printed.
#' @param ready A function that is called with the address once the desk listens.
#' @return The folder, invisibly; it ends by Ctrl-C.
#' @section Errors: A folder that another process has open, or that holds something else; a port that is taken.
#' @examples
#' \dontrun{
#' desk(kilns)
#' }
#' @export
desk <- function(table = NULL, folder = NULL, port = 0, open = interactive(), ready = NULL) {
  needed <- c("shiny", "bslib", "httpuv", "htmltools", "ggplot2", "svglite", "data.table")
  rlang::check_installed(needed, "to open a desk")
  check_flag(open, "open")
  type_count(65535, from = 0)(port, "port")
  start <- desk_begun_with(table)
  folder <- folder %||% start$folder %||% "desk"
  if (!is_text(folder, 1)) fail(sprintf("`folder` must be one path, not %s.", describe(folder)))
  check_desk_folder(folder)
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  own <- new_desk(folder)
  if (!is.null(start$act)) start$act(own)
  port <- if (port == 0) httpuv::randomPort() else port
  free <- tryCatch(httpuv::randomPort(port, port, n = 1), error = function(e) NULL)
  if (is.null(free)) fail_to_listen("The desk", "127.0.0.1", port)
  door <- list(hosts = "127.0.0.1", token = random_token(), port = port)
  serve_desk(own, door, open, ready)
  invisible(folder)
}

check_desk_folder <- function(folder) {
  if (file.exists(folder) && !dir.exists(folder)) fail(sprintf("%s is a file, not a folder.", quoted(folder)))
  there <- list.files(folder)
  own <- intersect(c(desk_folders, "script.R", "script.sh"), there)
  if (!"record.jsonl" %in% there && length(own)) {
    what <- "%s holds %s, which a desk would write into, and no record of one."
    fail(sprintf(what, quoted(folder), quoted(own[1])), "Name another folder.")
  }
}

# What the desk begins with: list(folder, act), where `act` does to the new desk what a click would.
desk_begun_with <- function(x) {
  if (is.null(x)) return(list())
  if (is.data.frame(x)) {
    x <- as_table(x)
    return(list(act = function(desk) {
      file <- file.path(tempdir(), "table.csv")
      write_table(x, file)
      open_from_elsewhere(desk, file)
    }))
  }
  if (!is_text(x, 1)) fail(sprintf("A desk begins with a table or a path, not with %s.", describe(x)))
  if (dir.exists(x)) return(list(folder = x))
  check_file(x)
  beside <- file.path(dirname(x), "desk")
  if (grepl("[.]ya?ml$", x)) {
    b <- read_brief(x, read = FALSE)
    return(list(folder = beside, act = function(desk) desk_from_brief(desk, b, dirname(x))))
  }
  if (is_document(model_document, x)) {
    b <- read_model(x)$brief
    return(list(folder = beside, act = function(desk) desk_from_brief(desk, b, dirname(x))))
  }
  if (!is_database_file(x)) table_columns(x)  # fails before a folder is made
  x <- normalizePath(x)
  list(folder = beside, act = function(desk) open_from_elsewhere(desk, x))
}

# A brief whose table is found, taken up as the draft.
desk_from_brief <- function(desk, b, folder) {
  if (is.null(b$data)) fail("The brief names no table.", "Begin the desk with the table, or add `data:` to the brief.")
  own <- intersect(c("file", "sqlite"), names(b$data))
  if (length(own)) b$data[[own]] <- normalizePath(path_in(b$data[[own]], folder))
  b[["regimen"]]$seed <- b[["regimen"]]$seed %||% draw_seed()
  b[["hold_out"]]$seed <- b[["hold_out"]]$seed %||% draw_seed()
  desk_add(desk, line = "table", data = b$data)
  desk_add(desk, line = "draft", text = brief_yaml(without_interrupt(b)))
  show_table(desk)
}

# Of the system's own randomness, which set.seed() doesn't reach.
random_token <- function() core_random_text()

# ---- the door --------------------------------------------------------------------------------------------------------

# Serves the desk until it is interrupted. Host, origin and token of each request are looked at first; of those that the
# library responds to by itself, when it has responded: what is refused never leaves.
serve_desk <- function(desk, door, open, ready) {
  nonce <- random_token()
  page <- desk_page(basename(desk$folder), nonce)
  withr::local_options(
    shiny.http.response.filter = function(request, response) {
      refused <- refused_stranger(request, door)
      if (is.null(refused)) response else as_shiny_response(refused)
    },
    shiny.maxRequestSize = limit_of("desk_bytes"), shiny.sanitize.errors = TRUE, shiny.autoload.r = FALSE
  )
  app <- shiny::shinyApp(
    ui = function(request) desk_response(desk, request, door, page, nonce),
    server = function(input, output, session) {
      if (!is.null(refused_stranger(session$request, door))) return(session$close())
      desk_session(desk, input, session)
    },
    onStart = function() {
      shiny::observe(
        {
          shiny::invalidateLater(200, NULL)
          desk_tick(desk)
        },
        domain = NULL
      )
    },
    uiPattern = ".*"
  )
  address <- sprintf("http://127.0.0.1:%s/?token=%s", format_number(door$port), door$token)
  begin <- function(...) {
    # files of the library that would be given to anybody; the page holds what it needs
    own <- Filter(function(server) server$getPort() == door$port, httpuv::listServers())
    for (server in own) server$removeStaticPath(names(server$getStaticPaths()))
    message(sprintf("The desk of %s is at %s", desk$folder, address))
    if (!is.null(ready)) ready(address)
    if (open) utils::browseURL(address)
  }
  run <- function() {
    shiny::runApp(app, port = as.integer(door$port), host = "127.0.0.1", launch.browser = begin, quiet = TRUE)
  }
  tryCatch(suppressPackageStartupMessages(run()), interrupt = function(e) NULL)
}

as_shiny_response <- function(response) {
  headers <- response$headers
  shiny::httpResponse(
    response$status, headers[["Content-Type"]] %||% "text/plain", response$body,
    headers[setdiff(names(headers), "Content-Type")]
  )
}

# The page, a file that a sheet has left, or what is refused.
desk_response <- function(desk, request, door, page, nonce) {
  refused <- refused_stranger(request, door)
  if (!is.null(refused)) return(as_shiny_response(refused))
  path <- request$PATH_INFO
  if (path == "/") {
    response <- list(status = 200L, headers = list("Content-Type" = "text/html; charset=UTF-8"), body = page)
    response$headers[["Content-Security-Policy"]] <- sprintf(paste(
      "default-src 'none'; script-src 'nonce-%s'; style-src 'unsafe-inline'; img-src data:; connect-src 'self'",
      "ws://127.0.0.1:%s ws://localhost:%s; form-action 'none'; base-uri 'none'; frame-ancestors 'none'"
    ), nonce, door$port, door$port)
    response$headers[c("X-Content-Type-Options", "Referrer-Policy", "Cache-Control")] <-
      c("nosniff", "no-referrer", "no-store")
    return(as_shiny_response(with_token_kept(response, request, door)))
  }
  file <- sub("^/file/", "", path)
  left <- unlist(lapply(Filter(has_ended_well, desk$state$sheets), function(sheet) kind_of(sheet)$leaves(sheet)))
  if (!startsWith(path, "/file/") || !file %in% left) {
    return(shiny::httpResponse(404, "text/plain", "There is nothing here."))
  }
  place <- file.path(desk$folder, file)
  shiny::httpResponse(200, "application/octet-stream", list(file = place), list(
    "Content-Disposition" = sprintf("attachment; filename=\"%s\"", basename(file)), "X-Content-Type-Options" = "nosniff"
  ))
}

# ---- one window ------------------------------------------------------------------------------------------------------

# What a window has been sent, and what it does.
desk_session <- function(desk, input, session) {
  sent <- new.env(parent = emptyenv())
  sent$version <- 0
  sent$lines <- list()
  tell <- function() {
    new <- news_for(desk, sent)
    if (length(new)) session$sendCustomMessage("desk", new)
  }
  shiny::observeEvent(input$act, {
    desk_act(desk, as.list(input$act))
    tell()
  })
  shiny::observeEvent(input$file, take_file_dropped(desk, input$file$name[1], input$file$datapath[1]))
  shiny::observe({
    shiny::invalidateLater(200, session)
    tell()
  })
}

# The parts that have changed since the window was told, and the new lines of progress.
news_for <- function(desk, sent) {
  changed <- Filter(function(part) part$version > sent$version, desk$parts)
  sent$version <- desk$version
  news <- list()
  if (length(changed)) news$parts <- lapply(changed, `[[`, "html")
  id <- as.character(desk$job$id)
  if (length(id)) {
    all <- desk$curves[[id]]
    told <- sent$lines[[id]] %||% 0
    if (length(all) > told) {
      news$curves <- list(sheet = desk$job$id, lines = I(all[(told + 1):length(all)]))
      sent$lines[[id]] <- length(all)
    }
  }
  news
}
