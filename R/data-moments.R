# Dates and times: their type, their zone and their clock.

is_moment <- function(x) inherits(x, c("Date", "POSIXct"))

# The date that a date or time shows where it was written.
date_shown <- function(x) if (inherits(x, "Date")) x else as.Date(format(x, "%Y-%m-%d"))

# Days since 1970-01-01; the instant of a time.
days_of <- function(x) if (inherits(x, "Date")) as.numeric(x) else as.numeric(x) / 86400

time_formats <- c("%Y-%m-%d %H:%M:%OS", "%Y-%m-%d %H:%M")

# Text as a date, or as a time where it is compared with one.
as_moment <- function(text, like) {
  result <- if (inherits(like, "Date")) as.Date(text, "%Y-%m-%d") else
    as.POSIXct(text, tz = time_zone(like), tryFormats = c(time_formats, "%Y-%m-%d"), optional = TRUE)
  bad <- which(is.na(result) & !is.na(text))
  if (length(bad)) fail(sprintf("%s is not a date.", describe(text[bad[1]])), "Dates are written YYYY-MM-DD.")
  result
}

# The zone that a time shows itself in: the one that it names, else that of the session.
time_zone <- function(x) {
  zone <- attr(x, "tzone")
  if (is.null(zone) || zone[1] == "") session_zone() else zone[1]
}

session_zone <- function() {
  zone <- Sys.timezone()
  if (is.null(zone) || is.na(zone) || !nzchar(zone)) "UTC" else zone
}

# Year, month and so on in the column's own time zone.
local_parts <- function(d) if (inherits(d, "Date")) as.POSIXlt(d) else as.POSIXlt(d, tz = time_zone(d))

# Seconds on the clock of a time zone, the column's own if none is named.
local_seconds <- function(x, zone = time_zone(x)) {
  if (inherits(x, "Date")) return(as.numeric(x) * 86400)
  if (zone %in% c("UTC", "GMT")) return(as.numeric(x))
  part <- as.POSIXlt(x, tz = zone)
  as.numeric(as.Date(part)) * 86400 + part$hour * 3600 + part$min * 60 + part$sec
}
