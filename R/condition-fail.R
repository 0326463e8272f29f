# Errors that say what is wrong, where, and what to do. They are raised before any work is done.

# `what` says what is wrong and where; `try` says what to do about it. The condition carries both, the verb that was
# called as its `call`, and as its `argument` an argument of that verb, where `what` begins with one; of a setting that
# is refused it is the key, see about_setting(). It has a class of its topic, which is the verb's help page:
# `hylomath_error_train`.
# No back trace goes with it: what is wrong is what was given, not where it was noticed.
fail <- function(what, try = NULL, class = NULL) {
  message <- paste(c(what, if (!is.null(try)) paste("i", try)), collapse = "\n")
  verb <- verb_called()
  first <- sub("^`([^`]+)`.*$", "\\1", what)
  stop(errorCondition(  # nolint: the one place
    message, class = unique(c(class, paste0("hylomath_error_", verb$name, recycle0 = TRUE), "hylomath_error")),
    call = if (!is.null(verb)) call(verb$name), what = what, try = try,
    argument = if (first != what && first %in% verb$arguments) first
  ))
}

# The innermost of our verbs that is at work, an exported function or a generic that has a method here: list(name,
# arguments).
verb_called <- function() {
  space <- topenv()
  known <- c(getNamespaceExports(space), space[[".__NAMESPACE__."]]$S3methods[, 1])
  for (i in rev(seq_len(sys.nframe()))) {
    name <- sys.call(i)[[1]]
    if (!is.name(name) || !identical(topenv(environment(sys.function(i)) %||% globalenv()), space)) next
    name <- as.character(name)
    generic <- sub("[.](hylomath_[a-z_]+|default)$", "", name)
    if (generic %in% known) return(list(name = generic, arguments = names(formals(sys.function(i)))))
  }
}

first_sentence <- function(condition) sub("([.!]) .*$", "\\1", gsub("[[:space:]]+", " ", conditionMessage(condition)))

# Errors that are not ours go to `otherwise`, which says what they mean.
said_by_others <- function(code, otherwise) {
  tryCatch(code, error = function(e) if (inherits(e, "hylomath_error")) rlang::cnd_signal(e) else otherwise(e))
}

# Memory that runs out, in the core or in R, is said as what it is.
unless_no_room <- function(code) {
  tryCatch(code, error = function(e) if (is_out_of_memory(e)) fail_out_of_memory() else rlang::cnd_signal(e))
}

# What a training had come to is checked by the core alone, which knows how it lies.
unless_other_state <- function(code) {
  tryCatch(code, error = function(e) {
    if (!grepl("state is of another training", conditionMessage(e), fixed = TRUE)) rlang::cnd_signal(e)
    fail("The checkpoint belongs to another training, or is damaged.", "Remove it and train again.")
  })
}

is_out_of_memory <- function(e) inherits(e, "std::bad_alloc") || grepl("cannot allocate", conditionMessage(e))

fail_out_of_memory <- function() {
  hint <- "Take fewer or smaller networks at a time, or fewer rows; tables larger than memory go by store_table()."
  fail("There is not enough memory for this.", hint)
}

# Arguments that a verb doesn't have, caught by its dots. `...` are the verb's own.
check_others <- function(...) {
  if (...length() == 0) return(invisible())
  called <- sub("[.]hylomath_.*$|[.]default$", "", as.character(sys.call(-1)[[1]])[1])
  known <- setdiff(names(formals(sys.function(-1))), "...")
  given <- rlang::names2(list(...))
  if (given[1] == "") {
    fail(
      sprintf("%s() is given one argument too many.", called),
      sprintf("Its arguments are %s.", enumerate(known, limit = Inf))
    )
  }
  near <- if (nchar(given[1]) > 1) did_you_mean(given[1], known)
  hint <- near %||% said_elsewhere(given[1]) %||% suggestion(given[1], known)
  fail(sprintf("%s() has no argument %s.", called, quoted(given[1])), hint)
}

# Where the trade's words for a setting are said here; by what they mean, the first pattern that fits.
said_elsewhere <- function(word) {
  patterns <- c(
    "iteration|^rounds?$|cycles|passes" = "regimen(epochs = ) sets the number of epochs.",
    "neuron|node|hidden|^units?$|layer|activation|dropout|architecture|^size$" =
      "wire(b, \"24 relu > dropout 0.2 > 12 relu\") sets the layers.",
    "lasso" = "regimen(l1 = ) sets that penalty.",
    "penalty|ridge|decay|shrink|regulari|lambda" = "regimen(l2 = ) sets the penalty on the weights.",
    "optimi[sz]er|algorithm|solver" = "regimen(method = ) sets how weights are found.",
    "step|rate$" = "regimen(learning_rate = ) sets the learning rate.",
    "batch" = "regimen(batch_size = ) sets how many rows a step uses.",
    "patience|early" = "regimen(stop = list(patience = )) sets when training stops.",
    "class.?weight|balance" = "regimen(class_weights = \"even\") gives rare classes more weight.",
    "weight" = "set_columns(weight = ) names the column of case weights.",
    "^k$|fold|cross" =
      "folds(b, k = ) is k-fold cross-validation; hold_out(folds = ) asks for a cross-validation ensemble.",
    "scal|standardi|normali|impute|^na|encod|dummy|missing" = "prepare() sets how columns are prepared.",
    "split|hold.?out|share|fraction|strat" = "hold_out() sets which rows are held out.",
    "threshold|cut.?off|cost" = "decide() sets the rule by which classes are predicted.",
    "group|cluster|subject" = "set_columns(group = ) keeps rows together.",
    "seed" = "hold_out(seed = ) and regimen(seed = ) set the seeds."
  )
  fits <- vapply(names(patterns), grepl, NA, tolower(word))
  if (any(fits)) unname(patterns[which(fits)[1]])
}

# "Did you mean ...?" for a word that is not among the known ones, or the list of those.
suggestion <- function(word, known, limit = 12) {
  if (length(known) == 0) return(NULL)
  meant <- did_you_mean(word, known)
  if (!is.null(meant)) return(meant)
  shown <- utils::head(known, limit)
  more <- if (length(known) > limit) sprintf(" and %d more", length(known) - limit) else ""
  paste0("Known are ", paste(shown, collapse = ", "), more, ".")
}

# A word is near that differs in a few letters for its length, or has two of them in the other order, that begins with
# it, or whose words it abbreviates.
did_you_mean <- function(word, known) {
  if (is.na(word) || !nzchar(word)) return(NULL)
  same <- trade_words[[tolower(gsub("[^A-Za-z0-9]", "", word))]]
  if (!is.null(same) && same %in% known) return(sprintf("Did you mean %s?", quoted(same)))
  distance <- utils::adist(word, known, ignore.case = TRUE)[1, ]
  letters_of <- function(x) vapply(strsplit(tolower(x), ""), function(l) paste(sort(l), collapse = ""), "")
  swapped <- distance == 2 & letters_of(known) == letters_of(word)
  distance[swapped] <- 1
  near <- which.min(distance)
  initials <- vapply(strsplit(known, "[_. ]"), function(words) paste(substr(words, 1, 1), collapse = ""), "")
  abbreviated <- which(nchar(word) > 1 & tolower(initials) == tolower(word) & distance > 0)
  if (length(abbreviated) && distance[near] > 0) return(sprintf("Did you mean %s?", quoted(known[abbreviated[1]])))
  if (distance[near] <= max(1, floor(nchar(word) / 3.5))) return(sprintf("Did you mean %s?", quoted(known[near])))
  begins <- which(nchar(word) > 2 & startsWith(tolower(known), tolower(word)))
  if (length(begins)) sprintf("Did you mean %s?", quoted(known[begins[1]]))
}

# Other words of the trade for the same thing.
trade_words <- list(
  sigmoid = "logistic", linear = "identity", none = "identity", swish = "silu", rectifier = "relu",
  gradientdescent = "momentum", stochasticgradientdescent = "momentum", sgd = "momentum", rprop = "resilient",
  conjugategradient = "scaled_conjugate", quasinewton = "lbfgs", bfgs = "lbfgs",
  mse = "squared", meansquarederror = "squared", squarederror = "squared", l2 = "squared", mae = "absolute",
  l1 = "absolute", median = "absolute", logloss = "cross_entropy", deviance = "cross_entropy", pinball = "quantile",
  balanced = "even", standard = "zscore", standardise = "zscore", standardize = "zscore", onehot = "indicator",
  dummy = "indicator", integer = "ordinal", target = "frequency", time = "ordered", shuffle = "random",
  chronological = "ordered", regressor = "regression", classifier = "classification"
)

# The same for files: a folder's whole list would help nobody.
suggest_file <- function(file) {
  beside <- list.files(dirname(file))
  distance <- utils::adist(basename(file), beside)
  if (length(beside) && min(distance) <= 3) sprintf("Did you mean %s?", quoted(beside[which.min(distance)]))
}

describe <- function(value) {
  if (length(value) == 0) return("nothing")
  if (is.list(value)) return("a list")
  if (length(value) > 1) return(sprintf("%d values", length(value)))
  if (is.na(value)) return("missing")
  if (is.character(value) || is.factor(value)) return(dQuote(shorten(harmless(value), most_quoted), FALSE))
  format(value)
}

describe_class <- function(x) paste0("an object of class ", paste(class(x), collapse = "/"))

# The methods of verbs for what they don't take.
wrong_object <- function(verb, takes, given) {
  hint <- if (is.character(given) && length(given) == 1) {
    if (grepl("[.]ya?ml$", given)) "Read the file first: read_brief(\"%s\")." else
      if (grepl("[.]hylo$", given)) "Read the file first: read_model(\"%s\")."
  } else if (inherits(given, "hylomath_brief") && grepl("model", takes)) {
    "Train it first: train(b)."
  } else if (inherits(given, "hylomath_model") && grepl("brief", takes)) {
    "A model's brief is model$brief."
  } else if (is.data.frame(given) && grepl("brief", takes)) {
    "Start a brief from the table first: brief(data, target = ...)."
  }
  if (is.character(given) && !is.null(hint)) hint <- sprintf(hint, given)
  fail(sprintf("%s() takes %s, not %s.", verb, takes, describe_kind(given)), hint)
}

# What was given, in a reader's words where there are some.
describe_kind <- function(x) {
  known <- c(
    hylomath_brief = "a brief", hylomath_model = "a model", hylomath_appraisal = "an appraisal",
    hylomath_folds = "folds", hylomath_look = "a look", hylomath_lineup = "a line-up"
  )
  own <- known[intersect(class(x), names(known))]
  if (length(own)) return(own[[1]])
  if (is.character(x) && length(x) == 1) return(sprintf("the text %s", describe(x)))
  if (is.data.frame(x)) "a table" else if (is.null(x)) "nothing" else describe_class(x)
}
