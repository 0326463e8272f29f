# Regenerates NAMESPACE, man/ and the bindings' glue from the installed package: make document
# The ceilings on the data's help pages come from data-raw/ceilings.csv, which data-raw/make-data.R computes.
ceilings <- utils::read.csv("data-raw/ceilings.csv")
ceiling_section <- function(name) {
  mine <- ceilings[ceilings$table == name & ceilings$measure != "rows", ]
  words <- gsub("[._]", " ", sub("shares.", "share of ", mine$measure, fixed = TRUE))
  c(
    "@section Ceiling:",
    "What the known rule itself is expected to score on these rows; no honest model can be expected to do better.",
    "\\tabular{lr}{",
    paste0("  ", words, " \\tab ", vapply(signif(mine$value, 4), format, ""), " \\cr"),
    "}"
  )
}
roxygen2::roxygenise(".", load_code = "installed")
