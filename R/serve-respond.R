# One request, one response: list(status, headers, body, rows). Nothing here knows of sockets.

respond <- function(request, service) {
  tryCatch(
    within_seconds(service$limits$seconds, routed(request, service)),
    hylomath_error = function(e) problem(422, e$what, e$try),
    error = function(e) {
      if (grepl("time limit", conditionMessage(e))) {
        return(problem(503, "The request took longer than it may.", "Send fewer rows at a time."))
      }
      problem(500, "Something went wrong here; nothing of it is known to be about your rows.")
    }
  )
}

within_seconds <- function(seconds, code) {
  setTimeLimit(elapsed = seconds, transient = TRUE)
  on.exit(setTimeLimit(elapsed = Inf))
  code
}

routed <- function(request, service) {
  path <- request$PATH_INFO
  routes <- c(names(service$pages), "/predict", "/health", "/counts")
  if (!path %in% routes) {
    return(problem(404, "There is nothing at this path.", sprintf("Paths are %s.", enumerate(routes, limit = 20))))
  }
  allowed <- if (path == "/predict") "POST" else c("GET", "HEAD")
  if (!request$REQUEST_METHOD %in% allowed) {
    refused <- problem(405, sprintf("%s takes %s.", path, enumerate(allowed, "or")))
    refused$headers$Allow <- paste(allowed, collapse = ", ")
    return(refused)
  }
  if (path == "/predict") return(respond_to_rows(request, service))
  if (path == "/health") return(json_response(list(health = "well", network = service$identity)))
  if (path == "/counts") return(json_response(service$counts$facts()))
  service$pages[[path]]
}

json_response <- function(x, status = 200L) {
  body <- jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, na = "null", null = "null")
  text_response(as.character(body), "application/json", status)
}

text_response <- function(text, type, status = 200L) {
  headers <- list(
    "Content-Type" = paste0(type, "; charset=utf-8"), "X-Content-Type-Options" = "nosniff", "Cache-Control" = "no-store"
  )
  list(status = as.integer(status), headers = headers, body = enc2utf8(text))
}

problem <- function(status, what, try = NULL) {
  json_response(drop_nulls(list(error = cli::ansi_strip(what), try = if (!is.null(try)) cli::ansi_strip(try))), status)
}

too_large <- function(what, most, unit) {
  problem(413, sprintf("%s; at most %s %s are taken.", what, format_count(most), unit), "Send less at a time.")
}

# ---- rows ---------------------------------------------------------------------------------------------------------

respond_to_rows <- function(request, service) {
  bytes <- request$rook.input$read()
  if (length(bytes) > service$limits$bytes) {
    return(too_large(sprintf("The body has %s bytes", format_count(length(bytes))), service$limits$bytes, "bytes"))
  }
  # no type at all is what a page of another origin can send without being asked for leave
  sent <- tolower(trimws(sub(";.*", "", request$CONTENT_TYPE %||% request$HTTP_CONTENT_TYPE %||% "none")))
  as_csv <- sent %in% c("text/csv", "application/csv")
  if (!as_csv && !sent %in% c("application/json", "text/json")) {
    return(problem(415, sprintf("Rows of the type %s are not read.", describe(substr(sent, 1, 60))), paste(
      "Send application/json or text/csv."
    )))
  }
  how <- asked_how(request$QUERY_STRING %||% "")
  rows <- if (as_csv) csv_rows(bytes, service$model) else json_rows(bytes, service$model, service$limits$rows)
  if (nrow(rows) > service$limits$rows) {
    return(too_large(sprintf("There are %s rows", format_count(nrow(rows))), service$limits$rows, "rows"))
  }
  augmented <- suppressMessages(suppressWarnings(do.call(augment, c(list(service$model, rows), how))))
  predictions <- augmented[-seq_along(rows)]
  wants_csv <- grepl("text/csv", request$HTTP_ACCEPT %||% "", fixed = TRUE) ||
    (as_csv && !grepl("json", request$HTTP_ACCEPT %||% "", fixed = TRUE))
  response <- if (wants_csv) {
    text_response(rawToChar(csv_bytes(predictions, TRUE)), "text/csv")
  } else {
    json_response(drop_nulls(list(
      network = service$identity, rule = rule_text(service$model$predictor), predictions = predictions
    )))
  }
  response$rows <- nrow(rows)
  response
}

# What the query says of how rows are predicted.
asked_how <- function(query) {
  pairs <- strsplit(sub("^[?]", "", query), "&", fixed = TRUE)[[1]]
  pairs <- strsplit(pairs[nzchar(pairs)], "=", fixed = TRUE)
  asked <- lapply(pairs, function(pair) query_text(paste(pair[-1], collapse = "=")))
  names(asked) <- vapply(pairs, `[`, "", 1)
  if (!all(validUTF8(c(unlist(asked), names(asked))))) fail("The query is not in UTF-8.")
  asked$token <- NULL  # which was looked at already
  known <- c("type", "level", "bad_cells", "flags", "identity")
  unknown <- setdiff(names(asked), known)
  if (length(unknown)) {
    fail(sprintf("The query says %s, which is not known.", describe(unknown[1])), suggestion(unknown[1], known))
  }
  for (name in intersect(names(asked), c("flags", "identity"))) {
    if (!asked[[name]] %in% c("true", "false", "1", "0")) fail(sprintf("`%s` must be true or false.", name))
    asked[[name]] <- asked[[name]] %in% c("true", "1")
  }
  if (!is.null(asked$level)) {
    level <- as_one_number(asked$level)
    if (is.na(level)) fail(sprintf("`level` must be a number, not %s.", describe(asked$level)))
    type_share()(level, "level")
    asked$level <- level
  }
  asked[!duplicated(names(asked), fromLast = TRUE)]
}

query_text <- function(text) {
  refused <- function(condition) fail("The query is not in UTF-8, or not encoded as one.")
  tryCatch(utils::URLdecode(text), error = refused, warning = refused)
}

csv_rows <- function(bytes, model) {
  file <- tempfile("rows-", fileext = ".csv")
  on.exit(unlink(file))
  if (identical(utils::head(bytes, 2), as.raw(c(0x1f, 0x8b)))) fail("The body is compressed.", "Send it as it is.")
  add_to_temporary(bytes, file)
  most <- 10 * length(model$predictor$preparation$columns) + 1000
  if (cells_in_first_line(file) > most) fail(sprintf("The body has more than %s columns.", format_count(most)))
  tryCatch(
    read_table(file, unlist(model$brief$columns$kinds)),
    hylomath_error = function(e) fail(gsub("`[^`]*rows-[^`]*[.]csv`", "The body", e$what), e$try)
  )
}

# `{"rows": [...]}`, `[...]` or one row; each an object of columns by name.
json_rows <- function(bytes, model, most) {
  not_json <- function(...) fail("The body is not JSON.", "Send {\"rows\": [{\"column\": value, ...}, ...]}.")
  if (length(bytes) == 0) fail("The body is empty.", "Send {\"rows\": [{\"column\": value, ...}, ...]}.")
  if (any(bytes == as.raw(0))) not_json()
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) fail("The body is not in UTF-8.")
  # what is nested deeply is no table, and would cost more than it says
  if (core_json_counts(text)[["depth"]] > 16) fail("The body is nested too deeply to be rows.")
  parsed <- tryCatch(parse_json_text(text), error = not_json, warning = not_json)
  if (!is.list(parsed)) not_json()
  if (is.list(parsed$rows)) parsed <- parsed$rows
  rows <- if (!is.null(names(parsed))) list(parsed) else parsed
  if (length(rows) == 0) fail("There are no rows.")
  if (length(rows) > most) return(data.frame(row = seq_along(rows)))
  objects <- vapply(rows, function(row) is.list(row) && !is.null(names(row)), NA)
  if (!all(objects)) fail(sprintf("Row %d is not an object of columns by name.", which(!objects)[1]))
  kinds <- unlist(model$brief$columns$kinds)
  needed <- needed_columns(model$predictor)
  there <- unique(unlist(lapply(rows, names)))
  columns <- lapply(stats::setNames(nm = intersect(needed, there)), function(name) {
    json_column(name, lapply(rows, `[[`, name), kinds[name])
  })
  if (length(columns) == 0) check_needed_columns(needed, there, "The body")
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

json_column <- function(name, values, kind) {
  values <- lapply(values, function(v) v %||% NA)
  bad <- which(!vapply(values, function(v) is.atomic(v) && length(v) == 1, NA))
  if (length(bad)) fail(sprintf("Row %d holds no single value in the column %s.", bad[1], quoted(name)))
  texts <- vapply(values, is.character, NA)
  if (isTRUE(kind %in% c("category", "id", "text"))) {
    return(vapply(values, function(v) if (is.na(v)) NA_character_ else as_label(v), ""))
  }
  if (isTRUE(kind %in% c("date", "time"))) {
    text <- vapply(values, function(v) if (is.na(v)) NA_character_ else as.character(v), "")
    return(moments_from(text, name, kind))
  }
  if (!any(texts)) return(unlist(values))
  text <- vapply(values, as.character, "")
  text[text %in% c("", "NA")] <- NA
  number <- suppressWarnings(as.numeric(text))
  # what is no number is for the checks of predict() to tell
  if (identical(is.na(number), is.na(text))) number else text
}

moments_from <- function(text, name, kind) {
  like <- if (kind == "date") a_date else as.POSIXct(0, origin = "1970-01-01", tz = "UTC")
  text[text == ""] <- NA
  if (kind == "time") text <- sub("T", " ", sub("Z$", "", text))
  whole <- is.na(text) | grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}", text)
  moment <- tryCatch(as_moment(ifelse(whole, text, NA), like), hylomath_error = function(e) NULL)
  bad <- which(!whole | (if (is.null(moment)) !is.na(text) else is.na(moment) & !is.na(text)))
  if (length(bad)) {
    what <- "Row %d holds %s in the column %s, which is not a %s."
    fail(sprintf(what, bad[1], describe(text[bad[1]]), quoted(name), kind), "Write YYYY-MM-DD.")
  }
  moment
}
