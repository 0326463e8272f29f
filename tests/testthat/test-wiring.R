canonical <- function(text) format_wiring(parse_wiring(text))

test_that("the notation is read and written again in one canonical form", {
  expect_equal(canonical("24 relu > dropout 0.2 > 12 tanh"), "24 relu > dropout 0.2 > 12 tanh")
  expect_equal(canonical("  24   relu>12 tanh  l2=1e-4"), "24 relu > 12 tanh l2=0.0001")
  expect_equal(canonical("linear"), "linear")
  expect_equal(canonical("dropout 0.5 > 8 logistic rate=0.5 l1=0.01"), "dropout 0.5 > 8 logistic l1=0.01 rate=0.5")
  expect_equal(canonical("dropout 0.1"), "dropout 0.1")
  expect_equal(
    canonical("8 gelu init=uniform norm l2=0 > 4 sine init=normal:0.5"),
    "8 gelu norm l2=0 init=uniform:0.1 > 4 sine init=normal:0.5"
  )
  expect_equal(canonical("8 elu>4 elu+skip  rate=2 l2=1e-2"), "8 elu > 4 elu + skip l2=0.01 rate=2")
  expect_equal(canonical("8 elu l2=1e+2 > dropout 0.1 + skip"), "8 elu l2=100 > dropout 0.1 + skip")
  texts <- c(
    "3 identity", "2 tanh + skip", "5 selu norm rate=0 init=orthogonal", "linear",
    "dropout 0.3 > 4 relu > dropout 0.1"
  )
  for (text in texts) expect_equal(canonical(canonical(text)), canonical(text))
})

test_that("a layer's parts arrive where they belong", {
  w <- parse_wiring("dropout 0.1 > 24 relu l1=0.5 > dropout 0.2 > 12 tanh rate=2")
  expect_equal(w$input_dropout, 0.1)
  expect_equal(
    w$layers[[1]],
    list(
      units = 24, activation = "relu", dropout = 0.2, l1 = 0.5, l2 = NULL, rate = 1, norm = FALSE, init = "usual",
      init_scale = 0.1
    )[names(w$layers[[1]])]
  )
  expect_equal(w$layers[[2]]$rate, 2)
  expect_null(w$layers[[2]]$l1)
})

test_that("numbers of units mean relu layers", {
  expect_equal(brief(kilns, "outcome") |> wire(c(24, 12)) |> getElement("wiring"), "24 relu > 12 relu")
})

test_that("a mistake is shown at its place with what was expected there", {
  expect_fails(
    parse_wiring("24 rellu > 12 relu"), "character 4", "24 rellu > 12 relu\n     ^^^^^", "Did you mean `relu`?"
  )
  expect_fails(parse_wiring("24 relu > twelve relu"), "character 11", "number of units")
  expect_fails(parse_wiring("24 relu >"), "character 10", "Expected a layer")
  expect_fails(parse_wiring("24"), "Expected an activation behind the units")
  expect_fails(parse_wiring("24 relu > dropout 1.2 > 3 relu"), "character 19", "from 0 to below 1")
  expect_fails(parse_wiring("24 relu l3=1"), "character 9", "l1=value")
  expect_fails(parse_wiring("24 relu nrom"), "character 9", "Expected `norm`")
  expect_fails(parse_wiring("24 relu init=hee"), "character 9", "Did you mean `he`?")
  expect_fails(parse_wiring("24 relu init=he:0.2"), "`he` takes no scale")
  expect_fails(parse_wiring("24 relu init=normal:0"), "above 0")
  expect_fails(parse_wiring("24 relu l1=-1"), "character 9", "a number from 0")
  expect_fails(parse_wiring("24 relu > linear"), "stands alone")
  expect_fails(parse_wiring("4 relu > dropout 0.1 > dropout 0.1"), "follows another one")
  expect_fails(parse_wiring(""), "Expected a layer")
  expect_fails(parse_wiring("4 relu + dirct"), "character 8", "Expected `skip` behind the `+`")
  expect_fails(parse_wiring("4 relu +"), "character 8", "Expected `skip`")
  expect_fails(parse_wiring("linear + skip"), "character 1", "stands alone")
  expect_fails(parse_wiring("dropout 0.1 + skip"), "character 13", "behind hidden layers")
  expect_fails(parse_wiring("4 relu + skip > 3 relu"), "character 15", "ends the wiring")
  expect_fails(parse_wiring("4 relu + skip + skip"), "character 15", "l1=value")
  expect_fails(parse_wiring("4 relu + skip init=he"), "character 15", "l1=value")
  expect_fails(parse_wiring("4 relu + skip l2=-1"), "character 15", "a number from 0")
  expect_fails(parse_wiring("0 relu"), "1 to 65536")
})
