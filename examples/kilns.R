# A classification from start to end: which firings of the tile works go wrong?
library(hylomath)
set.seed(11)

look(kilns, target = "outcome")

b <- brief(kilns, target = "outcome") |>
  wire("32 relu > dropout 0.1 > 16 relu") |>
  regimen(class_weights = "even")
b

model <- train(b)
appraise(model)

file <- tempfile(fileext = ".hylo")
write_model(model, file)
predict(read_model(file), head(kilns), type = "both")

# a page for those who will not open R
write_report(model, tempfile(fileext = ".html"), kilns)
