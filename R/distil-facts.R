# What is kept of who taught a network.

teacher_facts <- function(teacher) {
  list(
    wiring = wiring_text(teacher), members = network_count(teacher$answerer),
    parameters = all_parameters(teacher$answerer)
  )
}
