# What is kept of who taught a network.

teacher_facts <- function(teacher) {
  list(
    wiring = wiring_text(teacher), members = network_count(teacher$predictor),
    parameters = all_parameters(teacher$predictor)
  )
}
