# Sixty points of a damped oscillation: a small table, so the rule chooses Levenberg-Marquardt with a penalty by
# evidence.
library(hylomath)
set.seed(1)
x <- seq(0, 1, length.out = 60)
curve <- data.frame(x = x, y = exp(-2.5 * x) * sin(12 * x))

model <- brief(curve, target = "y") |> wire("8 tanh") |> train(progress = "none")
model
error <- mean((predict(model, curve)$prediction - curve$y)^2)
cat("error as a share of the variance:", signif(error / var(curve$y), 2), "\n")

# the same from eight starts, with their spread
brief(curve, target = "y") |>
  wire("8 tanh") |> regimen(restarts = 8) |> train(progress = "none") |> getElement("restarts")
