# A network leaves the desk: kept, refitted, scored with, transcribed, and watched.
library(hylomath)
set.seed(6)
folder <- tempfile("work-")
dir.create(folder)
file <- function(name) file.path(folder, name)

# the first year and a half of firings, and what came after
dated <- order(kilns$fired_on)
old <- kilns[dated[1:3000], ]
newer <- kilns[dated[3001:4000], ]

model <- brief(old, target = "outcome") |>
  set_columns(drop = fired_on) |>
  train(progress = "none", checkpoint = file("kilns.ck"))
appraise(model)

# the measures stay those of the former, which a note says
final <- refit(model, old, progress = "none")
write_model(final, file("kilns.hylo"), rows = FALSE)

# rows as they stand, with the predictions behind them
data.table::fwrite(newer, file("newer.csv"))
score_table(final, file("newer.csv"), file("scored.csv"), flags = TRUE, identity = TRUE)
readLines(file("scored.csv"), 3)

# one network in the place of many, in other languages
one <- distil(model, old, progress = "none")
for (to in c("c", "javascript", "r", "sql", "page")) cat(to, nchar(transcribe(one, to)), "characters\n")

# has the world changed? here the kilns run hotter
watch_model(model, newer)
hotter <- transform(newer, peak_c = peak_c + 10)
watch <- watch_model(model, hotter)
watch
write_figure(plot_watch(watch), file("watch.png"))

# the challenger has learned on from the newer rows
challenger <- resume(model, hotter[1:700, ], progress = "none")
lineup(now = model, challenger = challenger, data = hotter[701:1000, ])
