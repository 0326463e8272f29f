// Penalties on squares that the rows choose (MacKay 1992): of a network with hidden layers one for each input, so that
// inputs which tell nothing fade away, and one for each other layer, the embeddings and a skip connection (automatic
// relevance determination: Neal 1996).
#pragma once
#include <cstddef>
#include <vector>

#include "archive.hpp"
#include "evidence.hpp"
#include "objective.hpp"

namespace hylo {

class Relevance {
 public:
  // In force are at first the penalties of the spec.
  Relevance(const Objective<double>& objective, double cases);

  std::size_t side() const { return at_.size(); }                   // parameters, in the order of Layout::each
  std::size_t at(std::size_t j) const { return at_[j]; }            // where parameter j lies
  double l2(std::size_t j) const { return l2_[j]; }                 // its penalty in force
  double added(std::size_t j) const { return l2_[j] - specified_[j]; }  // beside what the objective has of its own

  double penalty(Span<const double> w) const;
  double mean_l2() const;  // geometric, weight by weight

  // Sets the penalties anew at `w`, where the mean loss without them is `error`. The inputs share one as long as steps
  // still gain much: what has not been learned yet looks like noise, and an input that fades away by then may never
  // come back. `inverse` is the diagonal of A^-1, A the matrix of second derivatives with the penalties; an estimate
  // will do, since it is summed up over those that share a penalty.
  void weigh(Span<const double> inverse, Span<const double> w, double error);
  void gained(double share) { one_for_inputs_ = one_for_inputs_ && share > kStillFound; }

  void serialise(Archive& archive) { archive(l2_, one_for_inputs_); }

 private:
  // How many weights of a group are determined at least, and how far a step can move their penalty.
  static constexpr double kLeastShare = 1e-3, kMostChange = 10;
  static constexpr double kStillFound = 0.03;  // of the value, by a step

  // What the rows say of weights that share a penalty.
  struct Shared {
    double determined = 0, squares = 0, weights = 0;
  };

  std::size_t share_out(const Objective<double>& objective);

  std::vector<std::size_t> at_;
  std::vector<double> specified_, l2_;
  std::vector<std::size_t> group_;  // of weights that share a penalty
  std::vector<Shared> shared_;      // by group
  std::size_t inputs_ = 0;          // groups of the first hidden layer
  bool one_for_inputs_ = true;
  Evidence evidence_;
};

}  // namespace hylo
