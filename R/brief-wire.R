#' Wire the network
#'
#' The wiring notation lists the hidden layers from left to right, joined by `>`. The output layer is never written:
#' the target decides it. `linear` means no hidden layer, which is a linear, logistic, softmax or Poisson model.
#'
#' ```
#' 24 relu > dropout 0.2 > 12 tanh
#' 64 gelu norm l2=1e-4 > 32 gelu init=orthogonal
#' 24 elu > 12 elu + skip
#' linear
#' ```
#'
#' A layer is `<units> <activation> [norm] [name=value ...]`. `norm` is batch normalisation before the activation, over
#' blocks of at most 256 rows of a batch (Ioffe and Szegedy 2015), and by the running means and variances when
#' predicting. By name can be set
#'
#' * `l1` and `l2`: penalties on the layer's incoming weights, in place of the regimen's;
#' * `rate`: a multiple of the learning rate; 0 keeps the layer as it started;
#' * `init`: the rule for initial weights: `glorot` (Glorot and Bengio 2010), `he` (He et al. 2015), `lecun` (LeCun
#'   et al. 1998), `orthogonal` (Saxe et al. 2014), `same` (1 from each input to the unit of its number), `uniform:0.1`
#'   and `normal:0.1` with a scale. The usual one is `lecun` for selu, `he` for relu and its kin, otherwise `glorot`.
#'
#' `dropout <share>` drops that share of what comes from the left while training.
#'
#' `+ skip` at the end adds a skip connection: the inputs reach the output layer beside the hidden layers too
#' (skip-layer connections: Ripley 1996, *Pattern Recognition and Neural Networks*, section 5.1), so that these learn
#' what a linear model leaves over. `l1`, `l2` and `rate` behind it are the skip connection's own. Such a network starts
#' from the linear model of the same training rows (with the skip connection's `l2`, or the one of the `linear` wiring's
#' rule): in its first epoch it is that model as it stands. So on the rows that choose the epoch it never falls behind
#' it.
#'
#' The activations of a weighted sum z: `identity`; `logistic` 1 / (1 + exp(-z)); `tanh`; `relu` max(z, 0);
#' `leaky_relu` 0.01 z below 0 (Maas et al. 2013); `elu` exp(z) - 1 below 0 (Clevert et al. 2016); `selu`, that scaled
#' so that layers keep mean 0 and variance 1 (Klambauer et al. 2017); `gelu` z / 2 (1 + tanh(0.79788 (z + 0.044715
#' z^3))) (Hendrycks and Gimpel 2016); `silu` z / (1 + exp(-z)) (Elfwing et al. 2018); `softplus` log(1 + exp(z));
#' `gaussian` exp(-z^2); `sine`.
#'
#' @param b A brief.
#' @param wiring A text in the notation, or numbers of units for relu layers: `c(24, 12)`.
#' @param ... Not used.
#' @return The brief.
#' @section Errors: A mistake in the notation is shown with the place and with what was expected there.
#' @references He, Zhang, Ren and Sun (2015) \doi{10.1109/ICCV.2015.123}; Ioffe and Szegedy (2015)
#'   \doi{10.48550/arXiv.1502.03167}; Clevert, Unterthiner and Hochreiter (2016) \doi{10.48550/arXiv.1511.07289};
#'   Klambauer, Unterthiner, Mayr and Hochreiter (2017) \doi{10.48550/arXiv.1706.02515}.
#' @examples
#' brief(kilns, target = "outcome") |> wire("32 relu > dropout 0.1 > 16 relu")
#' @export
wire <- function(b, wiring, ...) UseMethod("wire")

#' @export
wire.hylomath_brief <- function(b, wiring, ...) {
  check_others(...)
  b$wiring <- settle_settings(list(wiring = wiring), brief_schema)$wiring
  check_regimen(b)
}

#' @export
wire.default <- function(b, ...) wrong_object("wire", "a brief", b)
