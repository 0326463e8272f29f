#include "interrupt.h"

#include <Rcpp.h>

#include <csignal>

namespace hylo_bind {

namespace {
volatile std::sig_atomic_t asked = 0;
int watching = 0;
extern "C" void note_signal(int) { asked = 1; }
}  // namespace

#ifndef _WIN32
SignalWatch::SignalWatch(bool term) : term_(term) {
  // what was asked of an outer watch stands
  if (watching++ == 0) asked = 0;
  struct sigaction ours = {};
  ours.sa_handler = note_signal;
  sigemptyset(&ours.sa_mask);
  sigaction(SIGINT, &ours, &former_int_);
  if (!term_) return;
  sigaction(SIGTERM, &ours, &former_term_);
  sigaction(SIGHUP, &ours, &former_hup_);
  // whoever was started by nohup stays
  if (former_hup_.sa_handler == SIG_IGN) sigaction(SIGHUP, &former_hup_, nullptr);
}

SignalWatch::~SignalWatch() {
  sigaction(SIGINT, &former_int_, nullptr);
  if (term_) sigaction(SIGTERM, &former_term_, nullptr);
  if (term_) sigaction(SIGHUP, &former_hup_, nullptr);
  --watching;
}
#else
SignalWatch::SignalWatch(bool term) : term_(term) { asked = 0; }
SignalWatch::~SignalWatch() {}
#endif

// A front end may ask R to stop without a signal; R_CheckUserInterrupt would then jump past C++, hence the fence.
// It also lets the front end work, which takes longer than a small batch, so it is called for one batch in many.
bool SignalWatch::stop_requested() {
  if (asked != 0) return true;
  if (++calls_ % 64 != 0) return false;
  if (R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE) asked = 1;
  return asked != 0;
}

bool SignalWatch::asked_to_stop() const { return asked != 0; }

}  // namespace hylo_bind
