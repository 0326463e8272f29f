# Columns as a few groups of rows.

most_subgroups <- 12

# The subgroup of each row, a factor.
subgroups <- function(x, column) {
  if (is_moment(x) || (is.numeric(x) && length(unique(x)) > most_subgroups)) return(bands_of(x, 4))
  label <- as_label(x)
  label[is.na(label)] <- "(missing)"
  counts <- sort(table(label), decreasing = TRUE)
  if (length(counts) < 2) fail(sprintf("Column %s has the value %s in all judged rows, so there are no subgroups.", quoted(column), describe(label[1])))
  if (length(counts) > most_subgroups) {
    kept <- names(counts)[seq_len(most_subgroups - 1)]
    label[!label %in% kept] <- "(others)"
    return(factor(label, c(kept, "(others)")))
  }
  factor(label, if (is.factor(x)) intersect(c(levels(x), "(missing)"), names(counts)) else sort(names(counts), method = "radix"))
}

# Bands of about equal counts, named by their ends.
bands_of <- function(x, bands) {
  number <- as.numeric(x)
  ends <- unique(stats::quantile(number, seq(0, 1, length.out = bands + 1), na.rm = TRUE, names = FALSE, type = 1))
  name <- function(v) if (is_moment(x)) format(structure(v, class = class(x), tzone = attr(x, "tzone")), "%Y-%m-%d") else format_each_short(v)
  if (length(ends) < 2) return(factor(ifelse(is.na(number), "(missing)", name(ends))))
  band <- findInterval(number, ends, rightmost.closed = TRUE, left.open = TRUE, all.inside = TRUE)
  labels <- paste(c(name(ends[1]), paste("above", name(ends[-c(1, length(ends))]))[seq_len(length(ends) - 2)]), "to", name(ends[-1]))
  if (length(ends) == 2) labels <- paste(name(ends[1]), "to", name(ends[2]))
  band <- factor(labels[band], labels)
  if (anyNA(number)) {
    levels(band) <- c(levels(band), "(missing)")
    band[is.na(band)] <- "(missing)"
  }
  band
}
