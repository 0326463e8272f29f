# Settings against a schema: a list of types by key, or of such lists.

# Checks and canonicalises settings against (a part of) the schema, in the schema's order. An unknown key fails with
# the nearest known one.
settle_settings <- function(settings, schema, key = NULL) {
  if (length(settings) == 0) return(list())
  full <- function(name) paste(c(key, name), collapse = ".")
  if (!is.list(settings) || is.null(names(settings))) {
    fail(sprintf("%s must hold settings with names.", quoted(key %||% "The brief")), suggestion("", names(schema)))
  }
  unknown <- setdiff(names(settings), names(schema))
  if (length(unknown)) {
    where <- if (is.null(key)) "The brief" else quoted(key)
    fail(sprintf("%s has no setting %s.", where, quoted(unknown[1])), suggestion(unknown[1], names(schema)))
  }
  repeated <- names(settings)[duplicated(names(settings))]
  if (length(repeated)) fail(sprintf("%s is set twice.", quoted(full(repeated[1]))))
  settled <- list()
  for (name in intersect(names(schema), names(settings))) {
    type <- schema[[name]]
    settled[[name]] <- if (is.list(type)) {
      settle_settings(settings[[name]], type, full(name))
    } else {
      type(settings[[name]], full(name))
    }
  }
  settled
}
