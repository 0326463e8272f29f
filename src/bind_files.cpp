// What R can't ask of files and of its own standard output.
#include <Rcpp.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <string>

#ifndef _WIN32
#include <sys/stat.h>
#include <unistd.h>
#endif

// Whether there is a plain file, and no device, pipe or socket, at this path.
// [[Rcpp::export]]
bool core_is_plain_file(std::string path) {
#ifdef _WIN32
  return true;
#else
  struct stat there;
  return stat(path.c_str(), &there) == 0 && S_ISREG(there.st_mode);
#endif
}

// Whether there is a pipe at this path.
// [[Rcpp::export]]
bool core_is_pipe(std::string path) {
#ifdef _WIN32
  return false;
#else
  struct stat there;
  return stat(path.c_str(), &there) == 0 && S_ISFIFO(there.st_mode);
#endif
}

// Gives one file the mode and owner of another, which need not be there; false where the owner can't be given.
// [[Rcpp::export]]
bool core_like_file(std::string path, std::string other) {
#ifdef _WIN32
  return true;
#else
  struct stat there, own;
  if (stat(other.c_str(), &there) != 0 || stat(path.c_str(), &own) != 0) return true;
  if ((there.st_uid != own.st_uid || there.st_gid != own.st_gid) &&
      chown(path.c_str(), there.st_uid, there.st_gid) != 0)
    return false;
  return chmod(path.c_str(), there.st_mode & 07777) == 0;
#endif
}

// A closed pipe ends the process quietly, as it ends other commands; R would go on and complain.
// [[Rcpp::export]]
void core_end_on_closed_pipe() {
#ifndef _WIN32
  std::signal(SIGPIPE, SIG_DFL);
#endif
}

// Why something written to standard output since the start was lost; empty where nothing was.
// [[Rcpp::export]]
std::string core_lost_output() {
  errno = 0;
  const bool flushed = std::fflush(stdout) == 0;
  if (flushed && !std::ferror(stdout)) return "";
  return errno != 0 ? std::strerror(errno) : "it could not be written";
}

// Bytes to standard output, as they are.
// [[Rcpp::export]]
void core_write_output(Rcpp::RawVector bytes) {
  std::fwrite(bytes.begin(), 1, static_cast<std::size_t>(bytes.size()), stdout);
  std::fflush(stdout);
}

// How many values a JSON text has at most, and how deep they lie; a quote in a text is no end of it.
// [[Rcpp::export]]
Rcpp::NumericVector core_json_counts(std::string text) {
  double values = 1;
  long depth = 0, deepest = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\')
        ++i;
      else if (c == '"')
        quoted = false;
      continue;
    }
    if (c == '"') quoted = true;
    if (c == ',') ++values;
    if (c == '[' || c == '{') {
      ++values;
      deepest = std::max(deepest, ++depth);
    }
    if (c == ']' || c == '}') --depth;
  }
  return Rcpp::NumericVector::create(Rcpp::Named("values") = values, Rcpp::Named("depth") = double(deepest));
}
