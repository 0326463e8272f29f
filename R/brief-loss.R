# The task, loss and output that a brief comes to.

# list(kind, output, and the kind's settings).
settled_loss <- function(b) {
  word <- b$task
  tasks <- tasks_called(word)
  loss <- kind_settings(b[["regimen"]]$loss, loss_kinds())
  if (loss$kind == "auto") loss <- kind_settings(tasks[[1]]$losses[1], loss_kinds())
  task <- Filter(function(task) loss$kind %in% task$losses, tasks)
  if (length(task) == 0) {
    known <- intersect(names(loss_kinds()), unlist(lapply(tasks, `[[`, "losses")))
    fail(
      sprintf("The loss %s is not for the task %s.", quoted(loss$kind), quoted(word)),
      sprintf("It can be %s.", enumerate(quoted(known), "or"))
    )
  }
  task[[1]]$check_loss(loss, unclass(b)[c("classes", "positive")], b$target)
  loss$output <- settled_output(task[[1]], loss, b)
  loss
}

settled_output <- function(task, loss, b) {
  wanted <- b[["regimen"]]$output
  if (wanted == "auto") return(task$output(loss, b$classes))
  if (task$kind == "classes") {
    fail(sprintf("`regimen.output` can't be %s: the classes decide it.", quoted(wanted)), "Leave it at `auto`.")
  }
  if (wanted == "identity" && loss$kind %in% c("poisson", "gamma")) {
    fail(
      sprintf("The loss %s needs predictions above 0.", quoted(loss$kind)),
      "Set `regimen.output` to `exponential` or `softplus`."
    )
  }
  if (wanted == "softplus" && !is.null(b$columns$exposure)) {
    fail("An exposure goes with the output `exponential` only.", "Leave `regimen.output` at `auto`.")
  }
  wanted
}

# What is predicted, as plain data: see task.R.
target_of <- function(b) {
  loss <- settled_loss(b)
  said <- unclass(b)[c("task", "classes", "positive")]
  how <- list(
    loss = loss, scaling = b[["prepare"]]$target, class_weights = b[["regimen"]]$class_weights,
    exposure = b$columns$exposure
  )
  drop_nulls(c(list(columns = b$target), said, how))
}
