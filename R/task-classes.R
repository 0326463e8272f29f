# Classes: the network gives every class a probability, by the logistic function of two and softmax of more.

task_classes <- function() {
  new_task(
    "classification", losses_of("classes"), "classes",
    epoch_measures = "accuracy",
    claims = function(y, kind) {
      # a target that never varies is taken for one of classes, and refused as such
      if (kind %in% c("category", "flag", "constant", "missing")) return(TRUE)
      is.numeric(y) && is_two_valued(y) && !is_small_count(y, kind)
    },
    complete = complete_classes,
    check = function(y, column, said) check_classes(y, column, said$classes, said$positive),
    check_target = function(target, values) check_class_weights(target),
    output = function(loss, classes) if (length(classes) == 2) "logistic" else "softmax",
    units = function(target) if (length(target$classes) == 2) 1L else length(target$classes),
    strata = function(y, classes, bands) class_places(y, classes),
    observe = function(values, target) as_label(values[[1]]),
    learn = function(values, target, weight) {
      list(counts = as.list(class_counts(values[[1]], target$classes, weight)))
    },
    row_weights = function(values, target, learned) {
      unname(class_weights_of(target, learned)[as_label(values[[1]])])
    },
    encode = encode_classes,
    start = function(target, learned, network, offset) {
      share <- expected_shares(target, learned)
      if (network$output == "logistic") stats::qlogis(share[[target$positive]]) else log(unname(share))
    },
    reading = read_classes,
    prediction = prediction_classes,
    baseline = function(values, target, learned, weight) {
      counts <- unlist(learned$counts)
      list(prediction = names(counts)[which.max(counts)], share = as.list(counts / sum(counts)))
    },
    primary = function(target) loss_record(target$loss)$primary(target$loss),
    row_losses = class_losses,
    evaluate = evaluate_classes,
    measure = measure_classes,
    estimate = function(context, evaluated, i, resampling) {
      how <- how_of_classes(context, ordered = FALSE)
      class_estimates(how, evaluated, evaluated$predictions, resampling$unit, resampling)
    },
    describe = function(target) {
      text <- sprintf("classification, %d classes: %s", length(target$classes), enumerate(target$classes))
      with_positive(text, target)
    }
  )
}

# An ordered factor of three or more levels gets the loss of ordered classes.
complete_classes <- function(said, y) {
  said$classes <- said$classes %||% guess_classes(y)
  if (length(said$classes) == 2) said$positive <- said$positive %||% guess_positive(y, said$classes)
  if (is.ordered(y) && length(said$classes) > 2 && identical(said$loss, "auto")) said$loss <- "ordinal"
  said
}

# The class that is looked for: the one whose word says so, else the rarer one; the second of two alike.
guess_positive <- function(y, classes) {
  says_so <- tolower(classes) %in% c("yes", "true", "1", "positive")
  if (sum(says_so) == 1) return(classes[says_so])
  counts <- class_counts(y, classes, rep(1, length(y)))
  if (counts[1] < counts[2]) classes[1] else classes[2]
}

check_classes <- function(y, column, classes, positive) {
  unknown <- setdiff(labels_in(y), classes)
  if (length(unknown)) {
    value <- describe(unknown[1])
    fail(
      sprintf("The target %s has the value %s, which is not among the brief's classes.", quoted(column), value),
      suggestion(unknown[1], classes)
    )
  }
  if (length(classes) > 1000) {
    fail(
      sprintf("The target %s has %s classes.", quoted(column), format_count(length(classes))),
      "More than 1,000 classes are not supported. Is it an id?"
    )
  }
  if (!is.null(positive) && !positive %in% classes) {
    fail(
      sprintf("The positive class %s does not occur in %s.", describe(positive), quoted(column)),
      suggestion(positive, classes)
    )
  }
}

check_class_weights <- function(target) {
  weights <- target$class_weights
  if (is.character(weights)) return()
  unknown <- setdiff(names(weights), target$classes)
  if (length(unknown)) {
    fail(
      sprintf("`regimen.class_weights` names the class %s, which does not occur.", describe(unknown[1])),
      suggestion(unknown[1], target$classes)
    )
  }
  missing <- setdiff(target$classes, names(weights))
  if (length(missing)) {
    what <- sprintf("`regimen.class_weights` has no weight for the class %s.", describe(missing[1]))
    fail(what, "Give every class one.")
  }
}

# Weight of each class: "even" gives every class the same total over the training rows.
class_weights_of <- function(target, learned) {
  chosen <- target$class_weights
  counts <- unlist(learned$counts)
  if (identical(chosen, "none")) return(counts * 0 + 1)
  if (identical(chosen, "even")) return(sum(counts) / (length(counts) * counts))
  unlist(chosen)[names(counts)]
}

# The shares of the classes as class weights make them.
expected_shares <- function(target, learned) {
  share <- unlist(learned$counts) * class_weights_of(target, learned)
  share / sum(share)
}

# 1 for the positive class of two, else the class's place.
encode_classes <- function(values, target, learned) {
  seen <- levels_of(values[[1]])
  if (length(target$classes) == 2) return(matrix((seen$levels == target$positive)[seen$codes] + 0))
  matrix(as.numeric(match(seen$levels, target$classes)[seen$codes]))
}

# With class weights w the network learns scores q proportional to w p. The prediction is the class with the largest q;
# the probability is p, had back as q / w and normalised.
read_classes <- function(target, learned) {
  classes <- target$classes
  list(
    classes = TRUE, weights = unname(class_weights_of(target, learned)[classes]),
    # the core puts the class that is looked for last
    turned = length(classes) == 2 && target$positive == classes[1]
  )
}

prediction_classes <- function(values, target) {
  classes <- target$classes
  best <- values[[length(classes) + 1]]
  as_plain_frame(c(
    list(prediction = classes[best]), stats::setNames(values[seq_along(classes)], paste0("probability_", classes))
  ))
}

with_positive <- function(text, target) {
  if (is.null(target$positive)) text else sprintf("%s; positive is %s", text, target$positive)
}

# ---- ordered classes -------------------------------------------------------------------------------------------------

# Ordered classes: one score and thresholds on it, cumulative logits (McCullagh 1980). What is said of classes holds,
# but for the order.

task_ordered <- function() {
  utils::modifyList(task_classes(), list(
    losses = losses_of("ordered"),
    claims = function(y, kind) FALSE,
    check_loss = function(loss, said, columns) {
      if (length(said$classes) < 3) {
        fail("The loss `ordinal` is for three or more ordered classes.", "For two, use `cross_entropy`.")
      }
    },
    output = function(loss, classes) "ordinal",
    units = function(target) 1L,
    # places from 0
    encode = function(values, target, learned) matrix(as.numeric(class_places(values[[1]], target$classes)) - 1),
    start = function(target, learned, network, offset) ordinal_start(unname(expected_shares(target, learned))),
    evaluate = function(context, evaluated, resampling) evaluate_classes(
      context, evaluated, resampling, ordered = TRUE
    ),
    measure = function(context, evaluated, i = 1) measure_classes(context, evaluated, i, ordered = TRUE),
    estimate = function(context, evaluated, i, resampling) {
      how <- how_of_classes(context, ordered = TRUE)
      class_estimates(how, evaluated, evaluated$predictions, resampling$unit, resampling)
    },
    describe = function(target) {
      order <- paste(target$classes, collapse = " < ")
      with_positive(sprintf("classification, %d ordered classes: %s", length(target$classes), order), target)
    }
  ))
}

# Cumulative shares as thresholds t_k - bias, the first of which is 0: see src/core/loss.hpp.
ordinal_start <- function(share) {
  upto <- stats::qlogis(pmin(pmax(cumsum(share[-length(share)]), 1e-6), 1 - 1e-6))
  c(-upto[1], log(pmax(diff(upto), 1e-3)))
}
