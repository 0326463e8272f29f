# The made-up island of Skerrow: three tables with a known generating rule each.
#
# For every table there are two functions: `*_table(n, seed)` simulates rows, and `*_rule(table)` gives the true class
# probabilities or the true mean of given rows from the columns that an analyst sees. What an analyst can't see (a
# gauge that was not read, a patient's frailty) is integrated out, so the rule is the best that any model can do.

unit <- function(x, low, high) (x - low) / (high - low)
softmax_rows <- function(score) {
  e <- exp(score - apply(score, 1, max))
  e / rowSums(e)
}
draw_class <- function(probability) {
  u <- stats::runif(nrow(probability))
  upper <- t(apply(probability, 1, cumsum))
  upper[, ncol(upper)] <- 1
  colnames(probability)[max.col(upper >= u, ties.method = "first")]
}
# Midpoints of equally likely slices of a standard normal, for averaging over what is not seen.
slices <- stats::qnorm((seq_len(31) - 0.5) / 31)

# ---- kilns: firings at a tile works -------------------------------------------------------------------------------

kilns_glaze_peak <- c(ash = 1270, celadon = 1255, clear = 1235, tenmoku = 1275)  # degrees that suit each glaze

kilns_score <- function(t, gas) {
  damp <- unit(t$moisture_pct, 2, 5)
  haste <- unit(t$ramp_c_h, 90, 180)
  heavy <- (t$load_kg - 340) / 90
  long <- (t$soak_min - 35) / 11
  off_peak <- (t$peak_c - kilns_glaze_peak[t$glaze]) / 14
  cbind(
    burst = -6.7 + 7.2 * pmax(damp, 0) * pmax(haste, 0) + 0.3 * heavy,  # trapped steam: wet tiles heated fast
    crazed = -5.4 + 1.8 * off_peak^2 + 0.25 * (gas - 30) / 3,          # glaze fired too cool or too hot
    sound = 0,
    warped = -4.5 + 2.2 * heavy * long + 0.5 * (t$kiln == "Gannet") +   # soft tiles under load, or dried unevenly
      0.012 * (t$humidity_pct - 70)
  )
}

kilns_rule <- function(t) {
  unread <- is.na(t$gas_mbar)
  p <- softmax_rows(kilns_score(t, ifelse(unread, 30, t$gas_mbar)))
  if (any(unread)) {
    parts <- lapply(slices, function(z) softmax_rows(kilns_score(t[unread, ], 30 + 3 * z)))
    p[unread, ] <- Reduce(`+`, parts) / length(parts)
  }
  p
}

kilns_table <- function(n = 4000, seed = 20260101) {
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  fired_on <- sort(as.Date("2024-01-08") + sample(0:720, n, replace = TRUE))
  winter <- cos(2 * pi * (as.integer(format(fired_on, "%j")) - 15) / 365.25)
  t <- data.frame(
    firing = sprintf("F%05d", seq_len(n)),
    fired_on = fired_on,
    kiln = sample(c("Fulmar", "Gannet", "Petrel"), n, replace = TRUE, prob = c(0.4, 0.35, 0.25)),
    glaze = sample(names(kilns_glaze_peak), n, replace = TRUE, prob = c(0.2, 0.25, 0.35, 0.2)),
    moisture_pct = round(stats::runif(n, 0.5, 5) + 0.3 * winter, 2),
    peak_c = NA_real_,
    ramp_c_h = round(stats::runif(n, 60, 200)),
    soak_min = round(stats::rnorm(n, 35, 11)),
    load_kg = round(stats::rnorm(n, 340, 90)),
    gas_mbar = round(stats::rnorm(n, 30, 3), 1),
    humidity_pct = round(pmin(98, stats::rnorm(n, 72 + 8 * winter, 8)))
  )
  t$peak_c <- round(kilns_glaze_peak[t$glaze] + stats::rnorm(n, 0, 14))
  t$soak_min <- pmax(5, t$soak_min)
  t$load_kg <- pmax(60, t$load_kg)
  p <- softmax_rows(kilns_score(t, t$gas_mbar))
  t$outcome <- draw_class(p)
  t$gas_mbar[stats::runif(n) < 0.06] <- NA  # the gauge was not read
  rownames(t) <- NULL
  t
}

# ---- recovery: visits after a delta operation ----------------------------------------------------------------------

recovery_score <- function(t, frailty) {
  # C-reactive protein is asked for when somebody is worried, so its absence is good news
  inflamed <- ifelse(is.na(t$crp_mg_l), -1.1, 0.75 * (log(pmax(t$crp_mg_l, 0.5)) - 2))
  stiff <- pmax(0, 90 - t$flexion_deg) / 15
  early <- exp(-t$days_since_op / 25)
  -2.05 + inflamed + 0.32 * (t$pain - 4) + 1.3 * stiff * early + 0.45 * (t$lives_alone == "yes") +
    0.9 * pmax(0, (t$age - 72) / 8) * (t$lives_alone == "yes") - 0.35 * (t$physio == "weekly") + frailty
}

recovery_rule <- function(t) {
  p <- rowMeans(vapply(slices, function(z) stats::plogis(recovery_score(t, 0.6 * z)), numeric(nrow(t))))
  cbind(no = 1 - p, yes = p)
}

recovery_table <- function(n = 2500, seed = 20260102) {
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  patients <- ceiling(n / 2.2)
  visits <- 1 + stats::rpois(patients, 1.6)
  who <- rep(seq_len(patients), visits)[seq_len(n)]
  at_patient <- data.frame(
    patient = sprintf("P%04d", sample(9999, patients)),
    age = round(pmin(92, pmax(38, stats::rnorm(patients, 67, 10)))),
    sex = sample(c("female", "male"), patients, replace = TRUE),
    bmi = round(stats::rnorm(patients, 28.5, 4.2), 1),
    lives_alone = sample(c("yes", "no"), patients, replace = TRUE, prob = c(0.35, 0.65)),
    physio = sample(c("none", "monthly", "weekly"), patients, replace = TRUE, prob = c(0.25, 0.35, 0.4)),
    operated_on = as.Date("2024-02-01") + sample(0:600, patients, replace = TRUE),
    frailty = stats::rnorm(patients, 0, 0.6)
  )[who, ]
  since <- unlist(lapply(tabulate(who, patients), function(k) sort(sample(7:120, k))))
  t <- data.frame(
    visit = sprintf("V%05d", seq_len(n)),
    patient = at_patient$patient,
    visited_on = at_patient$operated_on + since,
    days_since_op = since,
    at_patient[c("age", "sex", "bmi", "lives_alone", "physio")],
    pain = pmin(10, pmax(0, round(stats::rnorm(n, 6 - since / 30, 1.8)))),
    flexion_deg = round(pmin(140, pmax(40, stats::rnorm(n, 78 + since / 4, 14)))),
    crp_mg_l = round(exp(stats::rnorm(n, 2.4 - since / 90, 0.9)), 1)
  )
  t$crp_mg_l[stats::runif(n) < stats::plogis(0.6 - 0.25 * (t$pain - 4))] <- NA
  t$returned <- ifelse(stats::runif(n) < stats::plogis(recovery_score(t, at_patient$frailty)), "yes", "no")
  rownames(t) <- NULL
  t
}

# ---- crossings: ferry departures over two years -------------------------------------------------------------------

crossings_rule <- function(t) {
  day <- as.integer(format(t$sails_on, "%j"))
  weekend <- format(t$sails_on, "%u") %in% c("6", "7")
  summer <- exp(-((day - 200) / 45)^2)
  commute <- exp(-((t$hour - 7.5) / 1.6)^2) + 0.9 * exp(-((t$hour - 17.5) / 1.8)^2)
  outing <- exp(-((t$hour - 11.5) / 2.6)^2)
  off <- weekend | t$holiday == "yes"
  visitors <- c(Ayre = 0.5, Holm = 1.7, Sound = 0.9)[t$route]  # how much of a route lives from the summer
  weather <- c(calm = 0, breezy = -0.12, gale = -0.75)[t$weather]
  exp(unname(3.0 + c(Ayre = 0.5, Holm = 0, Sound = 0.25)[t$route] + visitors * summer +
    ifelse(off, 1.0 * outing, 1.15 * commute) + weather * ifelse(off, 1.5, 0.8) - 0.06 * (t$fare - 12)))
}

crossings_table <- function(n = 6000, seed = 20260103) {
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  sails_on <- sort(as.Date("2024-01-01") + sample(0:730, n, replace = TRUE))
  route <- sample(c("Ayre", "Holm", "Sound"), n, replace = TRUE, prob = c(0.45, 0.25, 0.3))
  holidays <- c("01-01", "04-01", "05-01", "05-27", "06-21", "08-26", "10-14", "12-25", "12-26")
  winter <- cos(2 * pi * (as.integer(format(sails_on, "%j")) - 15) / 365.25)
  gale <- stats::plogis(-2.2 + 0.9 * winter)
  u <- stats::runif(n)
  t <- data.frame(
    departure = sprintf("D%05d", seq_len(n)),
    sails_on = sails_on,
    route = route,
    hour = sample(6:21, n, replace = TRUE),
    weather = ifelse(u < gale, "gale", ifelse(u < gale + 0.35, "breezy", "calm")),
    holiday = ifelse(format(sails_on, "%m-%d") %in% holidays, "yes", "no"),
    fare = round(c(Ayre = 11, Holm = 16, Sound = 9)[route] + stats::runif(n, -2, 3), 1)
  )
  t$passengers <- stats::rpois(n, crossings_rule(t))
  t
}
