# Going through a tree from its leaves up, without recursion: a sum of a thousand terms is a thousand calls deep.

# `at(node, parts)` of the root, where `parts` are those of what `below(node)` gives, a list that is empty for a leaf.
walk_tree <- function(root, at, below = arguments_of) {
  nodes <- list(root)
  waiting <- list(below(root))
  parts <- list(vector("list", length(waiting[[1]])))
  done <- 0L
  repeat {
    depth <- length(nodes)
    if (done[depth] < length(waiting[[depth]])) {
      next_one <- waiting[[depth]][[done[depth] + 1L]]
      under <- below(next_one)
      if (length(under) == 0) {
        done[depth] <- done[depth] + 1L
        parts[[depth]][done[depth]] <- list(at(next_one, list()))
      } else {
        nodes[[depth + 1L]] <- next_one
        waiting[[depth + 1L]] <- under
        parts[[depth + 1L]] <- vector("list", length(under))
        done[depth + 1L] <- 0L
      }
    } else {
      result <- at(nodes[[depth]], parts[[depth]])
      if (depth == 1L) return(result)
      above <- seq_len(depth - 1L)
      nodes <- nodes[above]
      waiting <- waiting[above]
      parts <- parts[above]
      done <- done[above]
      done[depth - 1L] <- done[depth - 1L] + 1L
      parts[[depth - 1L]][done[depth - 1L]] <- list(result)
    }
  }
}

# The arguments of a call; a set of plain constants is one leaf, however many they are.
arguments_of <- function(node) {
  if (!is.call(node)) return(list())
  arguments <- as.list(node)[-1]
  empty <- vapply(seq_along(arguments), function(i) identical(arguments[[i]], quote(expr = )), NA)
  if (any(empty)) fail(sprintf("`%s` has an empty argument.", deparse1(node)), "See ?expressions.")
  if (is_constant_set(node)) list() else arguments
}

is_constant_set <- function(node) {
  is_call_of(node, "c") && is.null(names(node)) && !any(vapply(as.list(node)[-1], is.language, NA))
}

is_call_of <- function(node, name) is.call(node) && identical(node[[1]], as.name(name))

# The values of a set of plain constants.
set_values <- function(node) unlist(as.list(node)[-1])
