# What the package is made of, as a CycloneDX 1.5 document on standard output: itself, what it needs, and what it can
# use, each with its version on this machine and its licence.
fields <- read.dcf("DESCRIPTION")[1, ]
names_in <- function(field) {
  names <- trimws(sub("\\(.*", "", strsplit(fields[[field]], ",")[[1]]))
  setdiff(names, "R")
}
component <- function(name, scope) {
  about <- suppressWarnings(utils::packageDescription(name, fields = c("Version", "License", "Title")))
  if (!is.list(about)) return(NULL)
  list(
    type = "library", "bom-ref" = paste0("pkg:cran/", name, "@", about$Version), name = name, version = about$Version,
    scope = scope, description = gsub("[[:space:]]+", " ", about$Title),
    licenses = list(list(license = list(name = about$License))), purl = paste0("pkg:cran/", name, "@", about$Version)
  )
}
wanted <- list(required = unique(c(names_in("Imports"), names_in("LinkingTo"))), optional = names_in("Suggests"))
parts <- unlist(lapply(names(wanted), function(scope) lapply(wanted[[scope]], component, scope)), recursive = FALSE)
parts <- Filter(Negate(is.null), parts)
own <- paste0("pkg:generic/hylomath@", fields[["Version"]])
document <- list(
  bomFormat = "CycloneDX", specVersion = "1.5", version = 1,
  metadata = list(component = list(
    type = "library", "bom-ref" = own, name = fields[["Package"]], version = fields[["Version"]],
    licenses = list(list(license = list(id = "MIT")))
  )),
  components = parts,
  dependencies = list(list(ref = own, dependsOn = vapply(parts, `[[`, "", "bom-ref")))
)
cat(jsonlite::toJSON(document, auto_unbox = TRUE, pretty = TRUE), "\n")
