# What each row costs by the measure that a network is trained for.

# Losses of the rows, a matrix with a column a target (one for classes). `answers` are those that a model gives out.
row_losses <- function(model, judged, answers) {
  b <- model$brief
  if (b$task == "classification") {
    p <- as.matrix(answers[paste0("probability_", b$classes)])
    return(matrix(row_cross_entropy(match(judged$observed, b$classes), p)))
  }
  loss <- settled_loss(b)
  middle <- if (loss$kind == "quantile") loss$at[which.min(abs(loss$at - 0.5))]
  vapply(seq_along(b$target), function(i) {
    y <- observed_of(judged, i)
    m <- answers[[i]]
    switch(loss$kind, poisson = row_poisson_deviance(y, m), gamma = row_gamma_deviance(y, m), absolute = abs(y - m), quantile = drop(pinball(y, cbind(m), middle)), (y - m)^2)
  }, numeric(length(judged$key))) |> matrix(length(judged$key))
}

# The measure that a mean of such losses comes to.
loss_measure <- function(primary) if (primary == "RMSE") sqrt else identity
