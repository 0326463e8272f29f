# Losses expected over the outcomes, where the rule that made them is known: of rows that no fit has seen.

expected_log_loss <- function(model, fresh, rule) {
  q <- predict(model, fresh, type = "probability")[paste0("probability_", colnames(rule))]
  mean(-rowSums(rule * log(pmax(as.matrix(q), 1e-12))))
}
# Twice the expected log-likelihood ratio to the rule's own prediction: zero for the rule itself.
expected_excess_deviance <- function(model, fresh, rule) {
  m <- predict(model, fresh)$prediction
  mean(2 * (rule * log(rule / m) - (rule - m)))
}
