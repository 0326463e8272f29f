# A program in C99: its data as constants, and a runtime that allocates nothing.

transcript_in_c <- function(program) {
  out <- c_writer()
  c_columns(out, program)
  networks <- vapply(seq_along(program$networks), function(i) c_network(out, program$networks[[i]], i), "")
  out$array("network", "networks", networks)
  c_after_networks(out, program)
  out$numbers("ends", program$ends$bounds)
  c_checked(out, program)
  paste0(
    "/*\n", transcript_head(program, " *", "the C library", "in this order"), "\n *\n",
    " * Compile with -std=c99 -lm; with -DTRANSCRIPT_MAIN it is a program.\n */\n",
    transcript_runtime("portable.h"), "\n\n", paste(c_limits(program), collapse = "\n"), "\n\n",
    paste(out$lines(), collapse = "\n"), "\n\n", transcript_runtime("portable.c"), "\n",
    if (length(program$derived)) c_derived(program)
  )
}

c_derived <- function(program) {
  how <- list(
    cell = function(place) sprintf("cells[%d]", as.integer(place) - 1L),
    number = function(x) sprintf("number_of(%s)", c_numbers(x)), text = function(x) sprintf("text_of(%s)", c_texts(x)),
    missing = "missing_cell()", call = function(op, arguments) {
      sprintf("op_%s(%s)", op, paste(arguments, collapse = ", "))
    }
  )
  steps <- vapply(seq_along(program$derived), function(i) {
    derived <- program$derived[[i]]
    sprintf(
      "  cells[N_COLUMNS + %d] = %s; /* %s */", i - 1L, node_text(derived$node, how),
      comment_text(paste(derived$name, "=", derived$text))
    )
  }, "")
  paste0(
    "\n", transcript_runtime("arithmetic.c"), "\n\nstatic void derive_cells(cell *cells) {\n",
    paste(steps, collapse = "\n"), "\n}\n"
  )
}

# Collects definitions. `array` writes one of values that are written already, and gives what it is referred to by.
c_writer <- function() {
  lines <- character()
  array <- function(type, name, values) {
    if (length(values) == 0) return("NULL")
    lines <<- c(lines, sprintf("static const %s %s[] = {%s};", type, name, in_lines(values)))
    name
  }
  list(
    array = array, lines = function() lines,
    add = function(text) {
      force(text)  # which may write definitions of its own before it
      lines <<- c(lines, text)
    },
    numbers = function(name, x) array("double", name, c_numbers(x)),
    places = function(name, x) array("int", name, format_number(x)),
    texts = function(name, x) array("char *const", name, c_texts(x))
  )
}

c_numbers <- function(x) sub("Inf", "HUGE_VAL", format_number(x), fixed = TRUE)

# Anything beyond plain characters as the octal values of its bytes, which no compiler takes for something else.
c_texts <- function(x) {
  vapply(enc2utf8(as.character(x)), function(text) {
    bytes <- as.integer(charToRaw(text))
    plain <- bytes >= 32 & bytes < 127 & !bytes %in% c(34, 63, 92)
    characters <- sprintf("\\%03o", bytes)
    characters[plain] <- rawToChar(as.raw(bytes[plain]), multiple = TRUE)
    paste0("\"", paste(characters, collapse = ""), "\"")
  }, "", USE.NAMES = FALSE)
}

c_limits <- function(program) {
  widths_of <- function(network) c(network$inputs, unlist(lapply(network$starts[[1]]$layers, `[[`, "units")))
  widths <- unlist(lapply(program$networks, widths_of))
  values <- if (is.null(program$classes)) program$predictions else program$classes
  sprintf("#define %s %s", c(
    "N_COLUMNS", "N_DERIVED", "N_NETWORKS", "N_CLASSES", "N_VALUES", "N_CHECKED", "EXPOSURE", "MOST_VALUES",
    "MOST_LINE", "SPREAD", "N_ENDS", "RATIO"
  ), c(
    length(program$columns), length(program$derived), length(program$networks), length(program$classes), length(values),
    nrow(program$check$predictions), program$exposure - 1,
    max(widths, length(values), length(program$classes)) + 1, 65536,
    c_numbers(program$check$spread), length(program$ends$bounds), as.integer(isTRUE(program$ends$ratio))
  ))
}

c_columns <- function(out, program) {
  types <- c(number = "NUMBERS", flag = "NUMBERS", text = "TEXT", date = "DATES", time = "TIMES")
  columns <- vapply(seq_along(program$columns), function(i) {
    column <- program$columns[[i]]
    missing <- out$texts(sprintf("column_%d_missing", i), column$missing)
    sprintf("{%s, %s, %d, %s}", c_texts(column$name), types[[column$type]], length(column$missing), missing)
  }, "")
  out$array("column_of_table", "columns", columns)
}

c_network <- function(out, network, number) {
  name <- function(...) paste(c(sprintf("network_%d", number), ...), collapse = "_")
  plans <- vapply(seq_along(network$plans), function(i) c_plan(out, network$plans[[i]], name("plan", i)), "")
  starts <- vapply(seq_along(network$starts), function(i) c_start(out, network$starts[[i]], name("start", i)), "")
  decode <- network$decode
  sprintf(
    "{%s, %d, %d, %d, %d, %s, %s, %s, %s_OUTPUT, %d, %d, %d, %s, %s, %s, %s, %s}", c_numbers(network$share),
    as.integer(network$inputs), length(plans), length(network$needed), length(starts),
    out$array("plan", name("plans"), plans),
    out$places(name("needed"), network$needed - 1), out$array("start", name("starts"), starts), toupper(network$output),
    length(decode$scale), as.integer(isTRUE(decode$log)), as.integer(decode$middle %||% 0),
    out$places(name("order"), decode$order - 1), out$numbers(name("weights"), decode$weights),
    out$numbers(name("scale"), decode$scale), out$numbers(name("shift"), decode$shift),
    out$numbers(name("smear"), decode$smear)
  )
}

c_plan <- function(out, plan, name) {
  one <- function(part, otherwise = 0) c_numbers(plan[[part]] %||% otherwise)
  array <- function(part) out$numbers(paste0(name, "_", part), plan[[part]])
  levels <- if (plan$encoding == "date") plan$parts else plan$levels
  sprintf(
    "{%s, %d, %s, %d, %d, %d, %d, %d, %d, %d, %d, %s, %s}", toupper(plan$encoding), as.integer(plan$column - 1),
    paste(c(
      one("fill"), one("low", -Inf), one("high", Inf), one("shift"), one("scale", 1), one("unseen"), one("missing")
    ), collapse = ", "),
    as.integer(isTRUE(plan$flag)), as.integer(isTRUE(plan$clock)), as.integer(isTRUE(plan$hashed)),
    as.integer(plan$width %||% 0), length(plan$knots), length(plan$edges),
    length(plan$waves), length(levels),
    paste(vapply(c("knots", "heights", "edges", "waves", "scores"), array, ""), collapse = ", "),
    out$texts(paste0(name, "_levels"), levels)
  )
}

c_start <- function(out, start, name) {
  layers <- vapply(seq_along(start$layers), function(l) {
    layer <- start$layers[[l]]
    own <- paste0(name, "_layer_", l)
    sprintf(
      "{%d, %d, %s, %s, %s}", as.integer(layer$inputs), as.integer(layer$units), toupper(layer$activation),
      out$numbers(paste0(own, "_weights"), layer$weights), out$numbers(paste0(own, "_biases"), layer$biases)
    )
  }, "")
  points <- vapply(seq_along(start$points), function(e) out$numbers(paste0(name, "_points_", e), start$points[[e]]), "")
  sprintf(
    "{%d, %d, %s, %s, %s, %s}", length(layers), length(start$thresholds),
    out$array("layer", paste0(name, "_layers"), layers),
    out$numbers(paste0(name, "_skip"), start$skip), out$numbers(paste0(name, "_thresholds"), start$thresholds),
    out$array("double *const", paste0(name, "_points"), points)
  )
}

# The classes, how probabilities are put right, and how classes are chosen.
c_after_networks <- function(out, program) {
  out$texts("classes", program$classes %||% "")
  out$numbers("class_weights", program$weights %||% 1)
  map <- program$recalibration$map
  curves <- vapply(seq_along(map$curves), function(i) {
    curve <- map$curves[[i]]
    name <- sprintf("curve_%d", i)
    sprintf(
      "{%d, %s, %s, %s, %s}", length(curve$score), c_numbers(curve$slope %||% 0), c_numbers(curve$intercept %||% 0),
      out$numbers(paste0(name, "_score"), curve$score), out$numbers(paste0(name, "_level"), curve$level)
    )
  }, "")
  out$add(sprintf(
    paste(
      "static const struct { double temperature; int n; const int *place; const curve *curves; } recalibration =",
      "{%s, %d, %s, %s};", sep = "\n  "
    ),
    c_numbers(map$temperature %||% 0), length(curves), out$places("recalibrated_places", map$place - 1),
    out$array("curve", "curves", curves)
  ))
  rule <- program$decision
  place <- if (is.null(rule$class)) 0L else match(rule$class, program$classes)
  out$add(sprintf(
    "static const struct { int place; double threshold; const double *costs; } decision = {%d, %s, %s};", place - 1L,
    c_numbers(rule$threshold %||% 0), out$numbers("decision_costs", unlist(rule$costs))
  ))
}

c_checked <- function(out, program) {
  rows <- program$check$rows[vapply(program$columns, `[[`, "", "name")]
  cells <- lapply(rows, function(x) ifelse(is.na(x), "", if (is.numeric(x)) format_number(x) else as.character(x)))
  predictions <- program$check$predictions
  values <- as.matrix(predictions[if (is.null(program$classes)) program$predictions else program$predictions[-1]])
  places <- match(predictions$prediction, program$classes, nomatch = 0)
  if (is.null(program$classes)) places <- ifelse(is.na(values[, 1]), 0, 1)
  out$add("#ifdef TRANSCRIPT_MAIN")
  out$array("char *const", "checked_cells", c_texts(t(do.call(cbind, unname(cells)))))
  out$places("checked_places", places - 1)
  values[is.na(values)] <- 0
  out$numbers("checked_values", as.vector(t(values)))
  out$add("#endif")
}
