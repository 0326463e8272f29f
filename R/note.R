# A note: one row of what notes() returns.

new_note <- function(code, note, try) data.frame(code = code, note = note, try = try)

no_notes <- function() new_note(character(), character(), character())

join_notes <- function(...) do.call(rbind, c(list(no_notes()), list(...)))
