# From cells to a network's inputs, in SQL.

# The place of a level: from 0 among indicators, or a value of its own.
sql_place <- function(plan) {
  if (!plan$encoding %in% c("level", "score", "code")) return(NULL)
  cell <- paste0("c", plan$column)
  if (isTRUE(plan$hashed)) {
    hash <- paste0("g", plan$column)
    width <- sql_number(plan$width)
    rest <- sprintf("%s - %s * floor(%s / %s)", hash, width, hash, width)
    place <- sprintf("case when %s is null then %s else %s end", cell, sql_number(plan$missing), rest)
    return(stats::setNames(place, paste0("v", plan$column)))
  }
  value <- switch(plan$encoding,
    level = seq_along(plan$levels) - 1, score = plan$scores[seq_along(plan$levels)], code = seq_along(plan$levels)
  )
  whens <- sprintf("when %s then %s", sql_text(plan$levels), sql_number(value))
  chosen <- if (length(whens)) {
    sprintf("case %s %s else %s end", cell, paste(whens, collapse = " "), sql_number(plan$unseen))
  } else {
    sql_number(plan$unseen)
  }
  stats::setNames(
    sprintf("case when %s is null then %s else %s end", cell, sql_number(plan$missing), chosen),
    paste0("v", plan$column)
  )
}

# Numbers with their missing values filled, within their bounds.
sql_bounded <- function(plan, i) {
  if (plan$encoding != "number") return(NULL)
  filled <- sprintf("coalesce(c%d, %s)", plan$column, sql_number(plan$fill))
  if (is.finite(plan$low)) filled <- sprintf("case when %s < %s then %s else %s end", filled, sql_number(plan$low),
    sql_number(plan$low), filled)
  if (is.finite(plan$high)) filled <- sprintf("case when %s > %s then %s else %s end", filled, sql_number(plan$high),
    sql_number(plan$high), filled)
  stats::setNames(filled, sprintf("b%d", i))
}

# The same between knots, shifted and scaled.
sql_scaled <- function(plan, i) {
  if (plan$encoding != "number" || length(plan$edges)) return(NULL)
  x <- sprintf("b%d", i)
  if (length(plan$knots)) x <- sql_between(plan$knots, plan$heights, x)
  stats::setNames(sprintf("(%s - %s) / %s", x, sql_number(plan$shift), sql_number(plan$scale)), sprintf("y%d", i))
}

sql_between <- function(knots, heights, x) {
  last <- length(knots)
  if (last == 1) return(sql_number(heights))
  from <- seq_len(last - 1)
  slopes <- diff(heights) / diff(knots)
  whens <- sprintf(
    "when %s < %s then %s + (%s - %s) * %s", x, sql_number(knots[-1]), sql_number(heights[from]), x,
    sql_number(knots[from]), sql_number(slopes)
  )
  sprintf(
    "(case when %s <= %s then %s %s else %s end)", x, sql_number(knots[1]), sql_number(heights[1]),
    paste(whens, collapse = " "), sql_number(heights[last])
  )
}

sql_inputs <- function(plan, i) {
  cell <- paste0("c", plan$column)
  place <- paste0("v", plan$column)
  of <- function(condition) sprintf("case when %s then 1e0 else 0e0 end", condition)
  switch(plan$encoding,
    number = c(
      if (length(plan$edges)) {
        vapply(seq_len(length(plan$edges) - 1), function(e) {
          share <- sprintf(
            "(b%d - %s) / %s", i, sql_number(plan$edges[e]), sql_number(plan$edges[e + 1] - plan$edges[e])
          )
          sprintf(
            "case when b%d <= %s then 0e0 when b%d >= %s then 1e0 else %s end", i, sql_number(plan$edges[e]), i,
            sql_number(plan$edges[e + 1]), share
          )
        }, "")
      } else {
        turns <- rep(2 * pi * as.numeric(plan$waves), each = 2)
        c(sprintf("y%d", i), if (length(turns)) {
          sprintf("%s(%s * y%d)", rep(c("sin", "cos"), length(plan$waves)), sql_number(turns), i)
        })
      },
      if (plan$flag) of(sprintf("%s is null", cell))
    ),
    level = of(sprintf("%s = %s", place, sql_number(seq_len(plan$width) - 1))), score = place,
    date = sql_date_inputs(plan, cell, of)
  )
}

sql_date_inputs <- function(plan, cell, of) {
  circle <- function(name, turn) {
    angle <- sprintf("%s%s * %s", cell, name, sql_number(2 * pi / turn))
    sprintf("case when %s is null then 0e0 else %s(%s) end", cell, c("sin", "cos"), angle)
  }
  unlist(lapply(plan$parts, function(part) {
    switch(part,
      season = circle("yday", 365.25), weekday = of(sprintf("%swday = %s", cell, sql_number(0:6))),
      month = of(sprintf("%sm = %s", cell, sql_number(1:12))),
      quarter = of(sprintf("floor((%sm - 1) / 3e0) = %s", cell, sql_number(0:3))),
      year = sprintf(
        "case when %s is null then 0e0 else (%sy - %s) / %s end", cell, cell, sql_number(plan$shift),
        sql_number(plan$scale)
      ),
      hour = {
        angle <- sprintf("floor(%ss / 60e0) * %s", cell, sql_number(2 * pi / 1440))
        sprintf("case when %s is null then 0e0 else %s(%s) end", cell, c("sin", "cos"), angle)
      }
    )
  }))
}

# A learned point of each level.
sql_points <- function(plan, points) {
  by_level <- matrix(points, ncol = plan$width, byrow = TRUE)
  vapply(seq_len(plan$width), function(j) {
    whens <- sprintf("when %s then %s", sql_number(seq_len(nrow(by_level)) - 1), sql_number(by_level[, j]))
    sprintf("case v%d %s end", plan$column, paste(whens, collapse = " "))
  }, "")
}
