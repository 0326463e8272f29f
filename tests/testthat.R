library(testthat)
library(hylomath)

test_check("hylomath")
