# How full will the ferry be, and how sure is that? Three quantiles at once give a band around the median.
library(hylomath)
set.seed(1)
model <- brief(crossings, target = "passengers", task = "regression") |>
  set_columns(order = sails_on) |>
  hold_out(by = "ordered") |>
  regimen(loss = list(kind = "quantile", at = c(0.1, 0.5, 0.9))) |>
  train(progress = "none")
appraise(model)
head(predict(model, crossings))
