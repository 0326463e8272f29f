# Counts in order of time: how many passengers will the next months bring?
library(hylomath)
set.seed(11)

b <- brief(crossings, target = "passengers") |>
  set_columns(order = sails_on) |>
  hold_out(by = "ordered")
model <- train(b)
appraise(model)

# the same columns without hidden layers: what the network has to beat
appraise(train(wire(b, "linear"), progress = "none"))

write_report(model, tempfile(fileext = ".html"), crossings)
