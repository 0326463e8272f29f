# Expressions of add_columns(), keep_rows() and the *_where conditions: from R code or text to a checked tree. A tree is
# an R call made of nothing but columns, constants and the functions in expression-functions.R; it is never given to
# eval(). ?expressions states what everything means.

# Text from a brief file or the command line.
parse_expression <- function(text, what) {
  parsed <- tryCatch(
    parse(text = text, keep.source = FALSE),
    error = function(e) {
      said <- sprintf("%s can't be read: %s\n  %s", what, parse_complaint(e), shorten(text, most_quoted))
      fail(said, "See ?expressions for what can be written.")
    }
  )
  if (length(parsed) != 1) fail(sprintf("%s must be one expression: %s", what, shorten(text, most_quoted)))
  check_whole_expression(parsed[[1]], what)
}

check_whole_expression <- function(node, what) {
  check_limit(count_terms(node), "terms", sprintf("%s has", what))
  if (is_call_of(node, "c")) fail(sprintf("%s is a list of values, where one value a row is meant.", what))
  check_expression(node, what)
}

count_terms <- function(node) walk_tree(node, function(node, parts) 1 + sum(unlist(parts)))

parse_complaint <- function(e) {
  said <- conditionMessage(e)
  if (grepl("contextstack overflow", said, fixed = TRUE)) return("its brackets are nested too deep")
  if (grepl("'=>'", said, fixed = TRUE)) return("`=>` is not a comparison; write `>=`")
  if (grepl("unexpected end of input", said, fixed = TRUE)) return("it breaks off at its end")
  place <- regmatches(conditionMessage(e), regexec("<text>:1:([0-9]+): ([^\n]*)", conditionMessage(e)))[[1]]
  if (length(place) == 3) sprintf("%s at character %s", place[3], place[2]) else sub("\n.*", "", conditionMessage(e))
}

# R code captured as a quosure; `!!x` is in it already, `.env$x` is taken from where the code stands.
capture_expression <- function(quosure, what) {
  check_whole_expression(inline_values(rlang::quo_get_expr(quosure), rlang::quo_get_env(quosure)), what)
}

# `.env$x` or `.data$x`.
is_pronoun <- function(node, pronoun) identical(node[[1]], quote(`$`)) && identical(node[[2]], pronoun)

inline_values <- function(node, env) {
  leaf <- function(node) {
    if (rlang::is_quosure(node)) return(inline_values(rlang::quo_get_expr(node), rlang::quo_get_env(node)))
    if (!is.call(node)) return(as_constant(node))
    if (is_pronoun(node, quote(.env))) return(as_constant(get(as.character(node[[3]]), envir = env)))
    if (is_pronoun(node, quote(.data))) return(as.name(as.character(node[[3]])))
    is_date <- identical(node[[1]], quote(as.Date)) && length(node) == 2 && is.character(node[[2]])
    if (is_date) call("date", node[[2]])
  }
  walk_tree(
    node,
    function(node, parts) {
      if (length(parts)) as.call(c(node[[1]], stats::setNames(parts, names(node)[-1]))) else leaf(node) %||% node
    },
    function(node) if (rlang::is_quosure(node) || !is.null(leaf(node))) list() else arguments_of(node)
  )
}

# R values as the notation's constants.
as_constant <- function(x) {
  if (is.factor(x)) x <- as.character(x)
  if (inherits(x, "Date")) x <- lapply(format(x, "%Y-%m-%d"), function(d) call("date", d))
  if (is.language(x) && !is.list(x)) return(x)
  if (length(x) == 1) return(if (is.list(x)) x[[1]] else if (is.integer(x)) as.numeric(x) else unname(x))
  as.call(c(as.name("c"), as.list(unname(x))))
}

# Returns the tree, or fails with what is not allowed in it and why.
check_expression <- function(node, what) {
  walk_tree(node, function(node, parts) {
    if (length(parts)) return(as.call(c(node[[1]], parts)))
    if (is_constant_set(node)) checked_set(node, what) else checked_leaf(node, what)
  }, function(node) {
    if (is_leaf(node) || is_constant_set(node)) return(list())
    check_node(node, what)
    arguments_of(node)
  })
}

is_leaf <- function(node) is.name(node) || is.numeric(node) || is.character(node) || is.logical(node)

checked_leaf <- function(node, what) {
  if (is.name(node)) return(node)
  if (is.numeric(node) || is.character(node) || is.logical(node)) {
    if (length(node) != 1) fail(sprintf("%s holds %d values where one is expected.", what, length(node)))
    return(if (is.integer(node)) as.numeric(node) else node)
  }
  check_node(node, what)
  node
}

# A call by itself: its function, and the number and sort of its arguments.
check_node <- function(node, what) {
  if (!is.call(node) || !is.name(node[[1]])) {
    written <- shorten(paste(deparse(node), collapse = " "), most_quoted)
    said <- sprintf("%s holds something that is not an expression: %s", what, written)
    fail(said, "See ?expressions for what can be written.")
  }
  name <- as.character(node[[1]])
  known <- expression_functions()[[name]]
  if (is.null(known)) fail(sprintf("%s uses `%s`, which is not on the list of functions.", what, name), refusal(name))
  arguments <- as.list(node)[-1]
  if (!is.null(names(arguments)) && any(names(arguments) != "")) {
    fail(sprintf("%s gives names to the arguments of `%s`.", what, name), "Arguments go by their place here.")
  }
  if (length(arguments) < known$least || length(arguments) > known$most) {
    given <- counted(length(arguments), "argument")
    fail(sprintf("%s gives `%s` %s.", what, name, given), sprintf("It is written %s.", known$written))
  }
  if (name == "c" && length(expression_columns(node))) {
    fail(sprintf("%s puts a column into `c()`, which is for constants.", what))
  }
  check_constant_arguments(name, arguments, what)
  if (name != "%in%" && any(vapply(arguments, is_call_of, NA, "c"))) {
    fail(sprintf("%s holds `c()` outside of `%%in%%`, where one value a row is meant.", what))
  }
  # a set of plain constants is a leaf of its own
  node
}

# A set of plain constants, which is a leaf of its own.
checked_set <- function(node, what) {
  check_node(node, what)
  as.call(c(node[[1]], lapply(as.list(node)[-1], checked_leaf, what)))
}

# What is looked up among values is looked up among the same ones in every row.
check_constant_arguments <- function(name, arguments, what) {
  if (!name %in% c("%in%", "rank_in")) return()
  columns <- unlist(lapply(arguments[-1], expression_columns))
  if (length(columns) == 0) return()
  hint <- if (name == "%in%") {
    "To compare two columns row by row write a == b."
  } else {
    "The order is given by texts: rank_in(x, \"poor\", \"fair\", \"good\")."
  }
  fail(sprintf("%s looks a value up among those of the column %s, in all rows.", what, quoted(columns[1])), hint)
}

# What is refused because it looks at other rows.
across_rows <- c(
  "mean", "sum", "sd", "var", "median", "quantile", "min", "max", "range", "scale", "rank", "cumsum", "lag", "lead",
  "diff", "n", "length", "unique", "order", "rev", "table", "ave"
)

refusal <- function(name) {
  if (!name %in% across_rows) {
    known <- grep("^[a-z]", names(expression_functions()), value = TRUE)
    return(paste(suggestion(name, known, 60), "See ?expressions."))
  }
  why <- paste(
    "It looks at other rows, and what is learned from rows is learned on training rows only,", "by prepare()."
  )
  instead <- switch(name,
    min = "For the smallest of several columns in one row write pmin(a, b).",
    max = "For the largest of several columns in one row write pmax(a, b).",
    "Compute it before the brief if it is known at prediction time."
  )
  paste(why, instead)
}

# The columns that a tree reads.
expression_columns <- function(node) {
  walk_tree(node, function(node, parts) {
    if (is.name(node)) as.character(node) else unique(unlist(parts)) %||% character()
  })
}

# The one text of a tree, which reads back as the same tree.
format_expression <- function(node) {
  walk_tree(node, function(node, parts) {
    if (is.name(node)) return(column_text(as.character(node)))
    if (!is.call(node)) return(constant_text(node))
    call_text(as.character(node[[1]]), if (length(parts)) unlist(parts) else set_texts(node))
  })
}

set_texts <- function(node) {
  values <- as.list(node)[-1]
  classes <- unique(vapply(values, class, ""))
  if (length(classes) == 1 && !anyNA(unlist(values))) return(constant_text(unlist(values)))
  vapply(values, constant_text, "")
}

call_text <- function(name, arguments) {
  if (name == "(") return(paste0("(", arguments, ")"))
  if (grepl("^[a-z]", name)) return(paste0(name, "(", paste(arguments, collapse = ", "), ")"))
  if (length(arguments) == 1) return(paste0(name, arguments))
  paste(arguments, collapse = if (name == "^") name else paste0(" ", name, " "))
}

# Of one constant, or of several of a kind none of which is missing.
constant_text <- function(value) {
  if (is.character(value)) return(encodeString(value, quote = "\"", na.encode = FALSE))
  if (anyNA(value)) return("NA")
  if (is.logical(value)) return(as.character(value))
  text <- format_number(value)
  below <- value < 0
  text[below] <- paste0("(", text[below], ")")
  text
}

column_text <- function(name) {
  reserved <- c(
    "TRUE", "FALSE", "NA", "NULL", "Inf", "NaN", "if", "else", "for", "while", "repeat", "function", "break", "next",
    "in"
  )
  if (grepl("^([A-Za-z]|[.][A-Za-z_.])[A-Za-z0-9._]*$", name) && !name %in% reserved) return(name)
  encodeString(name, quote = "`")
}

# An expression as a setting: R gives a tree or text, a file gives text; the brief stores the one text.
type_expression <- function() {
  function(value, key) {
    if (!is_text(value, 1)) fail(sprintf("%s must be an expression, not %s.", quoted(key), describe(value)))
    format_expression(parse_expression(enc2utf8(as.character(value)), quoted(key)))
  }
}

# ---- its value -------------------------------------------------------------------------------------------------------

# Evaluating a checked tree on a table.

# A vector along the rows of the table.
evaluate_expression <- function(node, table, what) {
  check_columns_read(node, names(table), what)
  value <- tryCatch(
    evaluate_node(node, table, nrow(table)),
    hylomath_error = function(e) fail(sprintf("%s (%s): %s", what, format_expression(node), e$what), e$try)
  )
  if (length(value) == 1) rep(value, nrow(table)) else value
}

check_columns_read <- function(node, there, what) {
  unknown <- setdiff(expression_columns(node), there)
  if (length(unknown) == 0) return()
  hint <- paste(suggestion(unknown[1], there), "A value of your R session goes in as !!x or .env$x.")
  fail(sprintf("%s reads the column %s, which the table doesn't have.", what, quoted(unknown[1])), hint)
}

evaluate_node <- function(node, table, n) {
  walk_tree(node, function(node, parts) {
    if (is.name(node)) return(expression_value(table[[as.character(node)]]))
    if (is_constant_set(node)) return(set_values(node))
    if (!is.call(node)) return(rep(node, n))
    name <- as.character(node[[1]])
    # a set of constants has a length of its own
    if (name == "c") parts <- lapply(parts, `[`, 1)
    do.call(the_functions[[name]]$run, parts)
  })
}

# A condition on rows: TRUE where it holds; a missing value does not.
rows_where <- function(text, table, what) {
  value <- evaluate_expression(parse_expression(text, what), table, what)
  if (!is.logical(value)) {
    fail(sprintf("%s must be a condition; %s gives %s.", what, quoted(text), expression_type(value)))
  }
  value %in% TRUE
}

# ---- walking through it ----------------------------------------------------------------------------------------------

# Going through a tree from its leaves up, without recursion: a sum of a thousand terms is a thousand calls deep.

# `at(node, parts)` of the root, where `parts` are those of what `below(node)` gives, a list that is empty for a leaf.
walk_tree <- function(root, at, below = arguments_of) {
  nodes <- list(root)
  waiting <- list(below(root))
  parts <- list(vector("list", length(waiting[[1]])))
  done <- 0L
  repeat {
    depth <- length(nodes)
    if (done[depth] < length(waiting[[depth]])) {
      next_one <- waiting[[depth]][[done[depth] + 1L]]
      under <- below(next_one)
      if (length(under) == 0) {
        done[depth] <- done[depth] + 1L
        parts[[depth]][done[depth]] <- list(at(next_one, list()))
      } else {
        nodes[[depth + 1L]] <- next_one
        waiting[[depth + 1L]] <- under
        parts[[depth + 1L]] <- vector("list", length(under))
        done[depth + 1L] <- 0L
      }
    } else {
      result <- at(nodes[[depth]], parts[[depth]])
      if (depth == 1L) return(result)
      above <- seq_len(depth - 1L)
      nodes <- nodes[above]
      waiting <- waiting[above]
      parts <- parts[above]
      done <- done[above]
      done[depth - 1L] <- done[depth - 1L] + 1L
      parts[[depth - 1L]][done[depth - 1L]] <- list(result)
    }
  }
}

# The arguments of a call; a set of plain constants is one leaf, however many they are.
arguments_of <- function(node) {
  if (!is.call(node)) return(list())
  arguments <- as.list(node)[-1]
  empty <- vapply(seq_along(arguments), function(i) identical(arguments[[i]], quote(expr = )), NA)
  if (any(empty)) fail(sprintf("`%s` has an empty argument.", deparse1(node)), "See ?expressions.")
  if (is_constant_set(node)) list() else arguments
}

is_constant_set <- function(node) {
  is_call_of(node, "c") && is.null(names(node)) && !any(vapply(as.list(node)[-1], is.language, NA))
}

is_call_of <- function(node, name) is.call(node) && identical(node[[1]], as.name(name))

# The values of a set of plain constants.
set_values <- function(node) unlist(as.list(node)[-1])
