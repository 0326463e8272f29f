# Writes the three demo tables (inst/extdata/*.csv, data/*.rda) and the ceilings that their help pages show
# (data-raw/ceilings.csv). Run from the project's root: Rscript data-raw/make-data.R
source("data-raw/generators.R")
source("data-raw/measure-ceilings.R")

kilns <- kilns_table()
recovery <- recovery_table()
crossings <- crossings_table()
for (name in c("kilns", "recovery", "crossings")) {
  utils::write.csv(
    get(name), file.path("inst", "extdata", paste0(name, ".csv")), row.names = FALSE, na = "", quote = FALSE
  )
  save(list = name, file = file.path("data", paste0(name, ".rda")), version = 3, compress = "xz")
}

flat <- function(table, measures) {
  values <- unlist(measures)
  data.frame(table = table, measure = names(values), value = signif(unname(values), 6))
}
ceilings <- rbind(
  flat("kilns", expected_class_measures(kilns_rule(kilns))),
  flat("recovery", expected_class_measures(recovery_rule(recovery))),
  flat("crossings", expected_count_measures(crossings_rule(crossings)))
)
utils::write.csv(ceilings, "data-raw/ceilings.csv", row.names = FALSE, quote = FALSE)
print(ceilings)
