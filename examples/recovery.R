# Rare and costly: who will be back within 30 days of a knee operation? One visit in eight.
library(hylomath)
set.seed(11)

b <- brief(recovery, target = "returned") |>
  set_columns(group = patient)             # a patient's visits are never on both sides

plain <- train(b, progress = "none")
appraise(plain)                            # the accuracy looks good, and hardly anybody is found

even <- b |> regimen(class_weights = "even") |> train(progress = "none")
lineup(plain = plain, even = even, rows = "out_of_fold")

# four in five are to be found: a threshold from the out-of-fold rows
careful <- decide(plain, recall = 0.8)
decision_of(careful)
appraise(careful, recovery, rows = "test", by = physio)

# a return that is missed costs ten times what a needless call does
decision_of(decide(plain, costs = rbind(no = c(no = 0, yes = 1), yes = c(10, 0))))

importance(plain, recovery)
effect_of(plain, recovery, crp_mg_l)
contributions(plain, recovery, 3)
predict(careful, head(recovery), type = "set")

# nothing of a single patient may leave the clinic
write_report(careful, tempfile(fileext = ".html"), recovery, rows = FALSE)
