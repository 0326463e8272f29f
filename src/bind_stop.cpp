// Whether somebody wants a loop of R's own to end.
#include <Rcpp.h>

#include <memory>

#include "interrupt.h"

namespace {
std::unique_ptr<hylo_bind::SignalWatch> watch;
}  // namespace

// From now on Ctrl-C, SIGTERM and SIGHUP are noted and nothing more; FALSE puts back what they did before.
// [[Rcpp::export]]
void core_note_signals(bool on) {
  if (on && watch) return;
  watch = on ? std::make_unique<hylo_bind::SignalWatch>(true) : nullptr;
}

// [[Rcpp::export]]
bool core_asked_to_stop() { return watch && watch->asked_to_stop(); }
