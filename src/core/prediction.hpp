// What networks predict together: each takes rows in by its own preparation, and the mean of their predictions is
// given.
#pragma once
#include <cstddef>
#include <vector>

#include "aligned.hpp"
#include "encode.hpp"
#include "network.hpp"
#include "span.hpp"

namespace hylo {

// How predictions are read from what a network puts out. Of classes: the score of each class over its weight,
// normalised; where `turned`, the network's last class is the first one of the predictions. Of numbers: scale * value +
// shift, or smear * the exponential of that if `logarithmic`, in rising order if `rising`.
struct Reading {
  bool classes = false;
  std::vector<double> weights;
  bool turned = false;
  std::vector<double> scale, shift, smear;
  bool logarithmic = false, rising = false;
};

// The rows of a table as one or several networks take them in.
struct Intake {
  Encoder encoder;
  std::vector<SourceColumn> columns;
};

struct PredictingNetwork {
  PredictingNetwork(NetworkSpec spec_, Reading reading_, std::size_t intake_, double share_);

  NetworkSpec spec;
  Layout<float> layout;
  Reading reading;
  std::size_t intake;                        // its place among the intakes
  double share;                              // how much its predictions count
  std::vector<AlignedVector<float>> folded;  // its parameters (network.hpp); those of several are an ensemble's, the
                                             // mean of whose outputs is read
  std::size_t outputs() const;               // as many as are read
};

// Writes the mean of the networks' predictions for so many rows to `predictions`, one column after another, on several
// threads. The rows are those of the columns that are `chosen`, from 0, or where it is empty the first ones. `offset`
// is added to every network's linear output; empty for none. Throws std::invalid_argument if the parts don't fit each
// other.
void joint_predictions(Span<const PredictingNetwork> networks, Span<const Intake> intakes,
                       Span<const std::uint32_t> chosen, Span<const double> offset, std::size_t rows,
                       std::size_t threads, Span<double* const> predictions);

// The place, from 0, of the class whose probability times its weight is highest, the first one of several; -1 where one
// of them is not a number.
int best_class(Span<const double* const> probability, Span<const double> weights, std::size_t row);

}  // namespace hylo
