# Which way measures are better, and which of them people evaluate by.

# What is better when it is larger, and when it is smaller.
measures_that_rise <- c(
  "accuracy", "balanced accuracy", "Cohen's kappa", "Matthews correlation", "macro F1", "weighted F1", "weighted kappa",
  "AUC", "mean AUC", "average precision", "mean average precision", "R\u00b2", "explained variance"
)
measures_that_fall <- c(
  "cross-entropy", "Brier score", "calibration error", "mean cost", "mean rank error", "RMSE", "MAE",
  "median absolute error", "Poisson deviance", "gamma deviance"
)

# Those by which people evaluate a network, whatever it was trained for.
telling_measures <- c(
  "accuracy", "balanced accuracy", "AUC", "mean AUC", "cross-entropy", "RMSE", "MAE", "Poisson deviance",
  "gamma deviance"
)
