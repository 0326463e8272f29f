# The networks of an ensemble have much in common. In a file it is written once: `shared` holds the targets,
# preparations and shapes of networks that differ, and each member the places of its own.

shared_parts <- c("target", "preparation", "shape")

with_shared <- function(parts) {
  pools <- stats::setNames(lapply(shared_parts, function(part) list()), shared_parts)
  for (name in c("predictor", "linear")) {
    members <- lapply(parts[[name]]$members, apart_from_parameters)
    for (part in shared_parts) {
      each <- lapply(members, `[[`, part)
      pools[[part]] <- unique(c(pools[[part]], each))
      places <- match(hash_each(each), hash_each(pools[[part]]))
      members <- Map(function(member, place) replace(member, part, place), members, places)
    }
    if (length(members)) parts[[name]]$members <- members
  }
  if (lengths(pools)[1] > 0) parts$shared <- pools
  parts
}

without_shared <- function(parts) {
  pools <- parts$shared
  parts["shared"] <- NULL
  for (name in c("predictor", "linear")) {
    members <- lapply(parts[[name]]$members, function(member) {
      for (part in shared_parts) member[[part]] <- pools[[part]][[member[[part]]]]
      together_with_parameters(member)
    })
    if (length(members)) parts[[name]]$members <- members
  }
  parts
}

hash_each <- function(x) vapply(x, rlang::hash, "")

# A predictor whose network is parted into its shape and what it has learned, and whole again.
apart_from_parameters <- function(predictor) {
  learned <- intersect(c("parameters", "members"), names(predictor$network))
  predictor$shape <- predictor$network[setdiff(names(predictor$network), learned)]
  predictor$network <- predictor$network[learned]
  predictor
}

together_with_parameters <- function(predictor) {
  predictor$network <- c(predictor$shape, predictor$network)
  predictor["shape"] <- NULL
  predictor
}
