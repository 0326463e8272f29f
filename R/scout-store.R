# A search in a file: JSON, one document a line. The first says what is searched; each other one is a fit, written as
# it ends. A line that was cut off by a kill is no line, and the fit is done again.

# list(find, add): `find` gives the fit of a trial, fold and share of epochs if it is known, `add` makes one known.
# The file is taken until `frame` ends.
open_store <- function(file, search, frame = parent.frame()) {
  known <- new.env()
  place <- function(key, fold, share) sprintf("%s | %d | %s", key, as.integer(fold), format_number(share))
  if (!is.null(file)) {
    header <- store_header(search)
    growing <- growing_file(file, header, frame)
    for (line in if (file.exists(file)) continued_lines(file, header)) {
      known[[place(line$settings, line$fit$fold, line$fit$share)]] <- line$fit
    }
  }
  list(
    find = function(key, fold, share) known[[place(key, fold, share)]],
    add = function(key, fit) {
      known[[place(key, fit$fold, fit$share)]] <- fit
      if (!is.null(file)) growing$add(list(settings = key, fit = as.list(fit)))
    }
  )
}

store_header <- function(search) {
  list(
    format = store_kind$format, format_version = store_kind$version, brief = brief_yaml(without_use(search$brief)),
    base = brief_yaml(without_use(search$base)), evaluate = search$evaluate, table = table_hash(search$brief$table),
    space = unname(search$space), where = search$where, seed = search$seed, k = search$k, repeats = search$repeats,
    by = search$by, folds = search$folds, layers = search$layers, start = as.list(search$start),
    own = as.list(search$own), at_once = as.integer(search$at_once)
  )
}

# The fits of a file that holds the same search.
continued_lines <- function(file, header) {
  stored <- read_store(file, mend = TRUE)
  apart <- header_difference(header, stored$header)
  if (!is.null(apart)) {
    what <- quoted(store_words(apart, header, stored$header))
    hint <- "seeds that were not set are drawn anew by brief() and regimen()."
    fail(
      sprintf("%s holds another search: its %s differs.", quoted(file), what),
      paste("Name another file, or remove this one;", hint)
    )
  }
  stored$fits
}

store_words <- function(name, own, stored) if (name == "brief") brief_difference(own$brief, stored$brief) else name

read_store <- function(file, mend = FALSE) {
  stored <- read_json_lines(file, store_kind, mend)
  fits <- each_line(stored$lines, file, store_kind, function(line) {
    fit <- lapply(line$fit, from_stored)
    holds <- is_text(line$settings, 1) && identical(names(fit), names(no_fits())) && all(vapply(fit, is_numbers, NA, 1))
    if (holds) list(settings = line$settings, fit = as.data.frame(fit))
  })
  list(header = stored$header, fits = fits)
}

store_kind <- list(
  format = "hylomath scouting", version = 4L, what = "search", texts = c("brief", "base", "evaluate", "table"),
  hint = "Such files are written by scout(file = ) or `hylomath scout`.", again = "Search again."
)

is_store <- function(file) {
  starts_with_bytes(file, "{\"format\":\"hylomath scouting\"")
}

# A search that is continued without a seed of its own goes on with the one it had.
stored_seed <- function(file) {
  if (!is.null(file) && file.exists(file)) as.numeric(from_stored(read_store(file)$header$seed))
}

# ---- reading ---------------------------------------------------------------------------------------------------------

# A search opened from its file, without training anything.

# The search that a file holds, as far as it has come.
read_scouting <- function(file) {
  damaged <- function(e) fail_damaged_search(file)
  local_exact_names()
  tryCatch(said_by_others(search_in(file), damaged), warning = damaged)
}

fail_damaged_search <- function(file) fail(sprintf("The search in %s is damaged.", quoted(file)), store_kind$again)

search_in <- function(file) {
  stored <- read_store(file)
  search <- stored_search(stored$header)
  fits <- do.call(rbind, lapply(stored$fits, `[[`, "fit"))
  last <- utils::tail(search$rungs, 1)
  if (is.null(fits) || !any(rung_losses(fits, last) < Inf)) {
    fail(sprintf("The search in %s has evaluated no trial in full yet.", quoted(file)), "Go on with it.")
  }
  keys <- vapply(stored$fits, `[[`, "", "settings")[match(seq_len(max(fits$trial)), fits$trial)]
  rows <- do.call(rbind, c(list(search$own), lapply(keys[-1], function(key) row_of_key(key, search$own))))
  rownames(rows) <- NULL
  tried <- nrow(rows) - 1
  filling <- min(first_trials(search), tried)
  origin <- c("own", rep(c("filling", "model"), c(filling, tried - filling)))
  new_scouting(search, list(rows = rows, origin = origin, fits = fits, stopped = "unknown"), file)
}

stored_search <- function(header) {
  search <- lapply(lapply(header, from_stored), function(value) if (length(value)) value)  # NULLs come back as empty
  search[c("brief", "base")] <- lapply(search[c("brief", "base")], function(text) read_brief(text = text, read = FALSE))
  space <- lapply(search$space, function(dimension) {
    if (dimension$kind == "values") dimension$values <- lapply(dimension$values, identity)
    dimension
  })
  search$space <- stats::setNames(space, vapply(space, `[[`, "", "name"))
  search[c("start", "own")] <- lapply(search[c("start", "own")], as.data.frame, optional = TRUE)
  search$rungs <- search_rungs(search)
  search
}

# The settings that a key was made of, see row_keys().
row_of_key <- function(key, like) {
  texts <- strsplit(key, " | ", fixed = TRUE)[[1]]
  if (is.na(key)) texts <- rep("-", length(like))  # a trial none of whose fits had ended
  texts[texts == "-"] <- NA
  as_like <- function(text, column) if (is.numeric(column)) as.numeric(text) else text
  columns <- Map(as_like, stats::setNames(texts, names(like)), like)
  as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE)
}

# ---- the result ------------------------------------------------------------------------------------------------------

# What a search found.

new_scouting <- function(search, state, file) {
  fits <- state$fits[order(state$fits$trial, state$fits$share, state$fits$fold), ]
  rownames(fits) <- NULL
  full <- rung_losses(fits, search$rungs[nrow(search$rungs), ])
  check_any_done(length(full), "trial")
  b <- search$brief
  new_result(
    list(
      trials = scouting_trials(search, state, fits), fits = fits, settings = names(search$space), space = search$space,
      rows = state$rows, best = as.integer(names(full)[which.min(full)]), own = 1L, stopped = state$stopped,
      expected = expected_of_search(search, fits), where = search$where, evaluate = search$evaluate, k = search$k,
      repeats = search$repeats, folds = search$folds,
      primary = loss_name(target_of(b)), brief = b, base = search$base, target = b$target, task = b$task, file = file
    ),
    "scouting"
  )
}

# What the winner may be expected to gain, see gain_of_best(); out of fold and by folds.
expected_of_search <- function(search, fits) {
  if (search$evaluate == "validation") return(NULL)
  losses <- tapply(fits$loss, list(fits$trial, fits$fold), mean)
  gain_of_best(losses, match("1", rownames(losses)), mean(fits$rows / fits$training))
}

# A row a trial, those that were evaluated in full first, the best on top.
scouting_trials <- function(search, state, fits) {
  evaluated <- unique(fits$trial)
  trials <- cbind(
    data.frame(trial = evaluated, origin = state$origin[evaluated]), state$rows[evaluated, , drop = FALSE]
  )
  if (any(is_wiring_setting(names(search$space)))) {
    wiring_of <- function(t) trial_brief(search, state$rows, t)$wiring
    trials$wiring <- vapply(evaluated, wiring_of, "")
  }
  trials <- cbind(trials, do.call(rbind, lapply(evaluated, function(t) trial_figures(fits, t, search))))
  trials <- trials[order(!trials$whole, -trials$folds, trials$mean), ]
  rownames(trials) <- NULL
  trials
}

# What is known of a trial from its highest rung, and how far it is from the brief's own settings on the same folds.
trial_figures <- function(fits, trial, search, level = 0.95) {
  own <- fits[fits$trial == trial, ]
  own <- own[own$share == max(own$share), ]
  first <- fits[fits$trial == 1 & fits$share == max(own$share), ]
  apart <- own$loss - first$loss[match(own$fold, first$fold)]
  n <- nrow(own)
  whole <- n == search$folds && max(own$share) == 1
  compared <- whole && n > 1 && trial != 1
  half <- if (compared) stats::qt((1 + level) / 2, n - 1) * stats::sd(apart) * overlap_factor(own) else NA_real_
  data.frame(
    mean = mean(own$loss), sd = if (n > 1) stats::sd(own$loss) else NA_real_,
    difference = if (trial == 1) NA_real_ else mean(apart), low = mean(apart) - half, high = mean(apart) + half,
    folds = n, whole = whole, parameters = own$parameters[1], epochs = mean(own$epochs), seconds = mean(own$seconds)
  )
}
