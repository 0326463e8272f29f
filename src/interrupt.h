// Whether somebody wants training to end: Ctrl-C in R, or SIGTERM and SIGHUP where the command asks for it.
#pragma once

#ifndef _WIN32
#include <signal.h>
#endif

namespace hylo_bind {

// While one of these lives, SIGINT (and SIGTERM and SIGHUP when `term` is true) set a flag in place of their usual
// effect, so that training ends at its next batch and its best network is not lost. The former handlers return
// afterwards; the flag is taken back when the next one begins that stands within no other.
class SignalWatch {
 public:
  explicit SignalWatch(bool term);
  ~SignalWatch();
  SignalWatch(const SignalWatch&) = delete;
  SignalWatch& operator=(const SignalWatch&) = delete;

  bool stop_requested();
  bool asked_to_stop() const;  // without asking the front end

 private:
#ifndef _WIN32
  struct sigaction former_int_, former_term_, former_hup_;
#endif
  bool term_;
  unsigned calls_ = 0;
};

}  // namespace hylo_bind
