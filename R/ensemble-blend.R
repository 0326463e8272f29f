# How much each candidate's predictions count in a blend: the shares, from 0 with a sum of 1, whose blend has the lowest
# loss on rows that none of them had seen. Only where the brief leaves the network open; a named one predicts alone.

# A share is worth having only where it lowers the loss by this much of it: below is chance.
least_gain <- 0.002

blend_shares <- function(a, each) {
  shares <- stats::setNames(numeric(length(each)), names(each))
  if (a$brief$wiring != "auto") {
    shares[1] <- 1
    return(shares)
  }
  stepwise_shares(shares, blend_loss(each))
}

# The loss of a blend on the rows that its candidates have not learned from, as a function of their shares.
blend_loss <- function(each) {
  folds <- lapply(each, function(members) bind_evaluated(lapply(members, `[[`, "evaluated"), 1))
  predictor <- each[[1]][[1]]$predictor
  function(shares) {
    evaluated <- folds[[1]]
    used <- shares > 0
    evaluated$predictions <- mean_predictions(predictor, lapply(folds[used], `[[`, "predictions"), shares[used])
    mean_loss(predictor, evaluated)
  }
}

# From the best candidate on, steps towards whichever lowers the loss most, as long as it is worth it (Caruana et al.
# 2004, "Ensemble selection from libraries of models").
stepwise_shares <- function(shares, loss) {
  single <- vapply(seq_along(shares), function(c) loss(unit_share(shares, c)), 0)
  shares <- unit_share(shares, which.min(single))
  lowest <- min(single)
  repeat {
    tried <- expand.grid(towards = seq_along(shares), step = c(0.1, 0.25, 0.5))
    steps <- lapply(seq_len(nrow(tried)), function(i) {
      (1 - tried$step[i]) * shares + tried$step[i] * unit_share(shares, tried$towards[i])
    })
    losses <- vapply(steps, loss, 0)
    if (!isTRUE(min(losses) < lowest * (1 - least_gain))) return(shares)
    shares <- steps[[which.min(losses)]]
    lowest <- min(losses)
  }
}

unit_share <- function(shares, place) {
  shares[] <- 0
  shares[place] <- 1
  shares
}

# ---- networks of one wiring ---------------------------------------------------------------------------------------

# The share of each network, by candidate a number a fold: those of one wiring count alike, but for networks that were
# caught in a bad minimum, whose losses are many times those of the others on the rows that they learned from and on
# those that stopped them. What they predict out of fold has no say in it.
network_shares <- function(shares, each) {
  Map(function(share, members) {
    steady <- steady_networks(members)
    share * steady / sum(steady)
  }, shares, each)
}

astray_beyond <- 10

steady_networks <- function(members) {
  astray <- vapply(c("training", "validation"), function(part) {
    loss <- vapply(members, function(m) m$kept[[part]], 0)
    usual <- stats::median(loss, na.rm = TRUE)
    !is.na(loss) & !is.na(usual) & usual > 0 & loss > astray_beyond * usual
  }, logical(length(members)))
  # by all that is known of it: those that learned from all rows were stopped by none
  known <- max(1, sum(!is.na(vapply(c("training", "validation"), function(part) members[[1]]$kept[[part]], 0))))
  rowSums(matrix(astray, length(members))) < known
}
