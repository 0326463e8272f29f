# The tasks that are known, by the words that briefs call them.

task_registry <- new.env(parent = emptyenv())
task_registry$tasks <- list()

known_tasks <- function() task_registry$tasks

register_own_tasks <- function() {
  register_task("classes", task_classes())
  register_task("ordered", task_ordered())
  register_task("numbers", task_numbers())
  register_task("quantiles", task_quantiles())
  register_task("counts", task_counts())
}

# Makes a task known under a name, for this session.
register_task <- function(name, task) {
  task_registry$tasks[[name]] <- task
  invisible(task)
}

task_words <- function() unique(vapply(known_tasks(), `[[`, "", "word", USE.NAMES = FALSE))

tasks_called <- function(word) Filter(function(task) identical(task$word, word), known_tasks())

# The task of a target in force.
task_of <- function(target) {
  found <- Filter(function(task) target$loss$kind %in% task$losses, tasks_called(target$task))
  found[[1]]
}

# Whether what a brief calls so predicts classes; results carry the word.
predicts_classes <- function(word) tasks_called(word)[[1]]$kind == "classes"

# What several targets at once are taken for.
task_of_several <- function() Filter(function(task) task$several, known_tasks())[[1]]$word

# What a target is taken for when nothing is said.
guess_task <- function(y, column) {
  kind <- guess_kind(y)
  found <- Filter(function(task) task$claims(y, kind), known_tasks())
  if (length(found)) return(found[[1]]$word)
  fail(
    sprintf("The target %s is of the kind `%s`, which can't be predicted.", quoted(column), kind),
    "Choose a target of numbers, or of words with few different values."
  )
}
