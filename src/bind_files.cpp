// What R can't ask of files and of its own standard output.
#include <Rcpp.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <random>
#include <string>

#ifndef _WIN32
#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>
#endif
#ifdef __linux__
#include <sys/syscall.h>
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

// Brings a file to the disk that was just written into this folder, and writes a page beside it: what R writes last it
// writes on closing, and says nothing when that fails. Why either can't be done, or an empty text.
// [[Rcpp::export]]
std::string core_settle_file(std::string path, std::string folder) {
#ifndef _WIN32
  const auto settled = [](int file) {
    const bool done = file >= 0 && fsync(file) == 0;
    const std::string why = done ? "" : std::strerror(errno);
    if (file >= 0) close(file);
    return why;
  };
  const std::string why = settled(open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (!why.empty()) return why;
  std::string beside = folder + "/.hylomath-XXXXXX";
  const int page = mkstemp(beside.data());
  if (page < 0) return std::strerror(errno);
  unlink(beside.c_str());
  const std::string zeros(4096, '\0');
  errno = 0;
  const bool fits = write(page, zeros.data(), zeros.size()) == static_cast<ssize_t>(zeros.size());
  const std::string lacks = fits ? "" : std::strerror(errno == 0 ? ENOSPC : errno);
  close(page);
  return lacks;
#else
  return "";
#endif
}

// Adds bytes to the end of a file, which is made where there is none, and closes it. Why they are not all there, or an
// empty text.
// [[Rcpp::export]]
std::string core_append_file(std::string path, Rcpp::RawVector bytes) {
  std::FILE* file = std::fopen(path.c_str(), "ab");
  if (file == nullptr) return std::strerror(errno);
  errno = 0;
  const auto n = static_cast<std::size_t>(bytes.size());
  bool whole = std::fwrite(bytes.begin(), 1, n, file) == n;
  std::string why = whole ? "" : std::strerror(errno);
  whole = std::fclose(file) == 0 && whole;
  if (!whole && why.empty()) why = std::strerror(errno);
  return why;
}

// The file itself, whatever it is called: its disk and its number there; empty where there is none.
// [[Rcpp::export]]
std::string core_file_number(std::string path) {
#ifndef _WIN32
  struct stat there;
  if (stat(path.c_str(), &there) == 0) return std::to_string(there.st_dev) + ":" + std::to_string(there.st_ino);
#endif
  return "";
}

// From now on this process has so much memory and so many seconds of a processor, and ends when it wants more.
// [[Rcpp::export]]
void core_confine(double bytes, double seconds) {
#ifndef _WIN32
  const auto bound = [](int what, double most) {
    rlimit limit{};
    if (getrlimit(what, &limit) != 0) return;
    limit.rlim_cur = std::min<rlim_t>(static_cast<rlim_t>(most), limit.rlim_max);
    setrlimit(what, &limit);
  };
  bound(RLIMIT_AS, bytes);
  bound(RLIMIT_CPU, seconds);
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

// Lets two paths take each other's place in one step; false, and nothing done, where the system or the disk can't.
// [[Rcpp::export]]
bool core_swap_paths(std::string a, std::string b) {
#if defined(__linux__) && defined(SYS_renameat2)
  constexpr unsigned exchange = 2;  // RENAME_EXCHANGE, which older headers don't name
  return syscall(SYS_renameat2, AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), exchange) == 0;
#elif defined(__APPLE__)
  return renamex_np(a.c_str(), b.c_str(), RENAME_SWAP) == 0;
#else
  return false;
#endif
}

// A closed pipe ends the process quietly, as it ends other commands; R would go on and complain.
// [[Rcpp::export]]
void core_end_on_closed_pipe() {
#ifndef _WIN32
  std::signal(SIGPIPE, SIG_DFL);
#endif
}

#ifndef _WIN32
namespace {
extern "C" void say_and_end(int signal) {
  const char word[] = "hylomath: Ended by a signal. No unfinished result was written.\n";
  if (write(STDERR_FILENO, word, sizeof word - 1) < 0) {}
  std::signal(signal, SIG_DFL);
  raise(signal);
}
}  // namespace
#endif

// SIGTERM and SIGHUP end the command with a sentence, and writing beyond the limit of a file's size is an error.
// [[Rcpp::export]]
void core_end_with_a_word() {
#ifndef _WIN32
  for (const int number : {SIGTERM, SIGHUP}) {
    if (std::signal(number, &say_and_end) == SIG_IGN) std::signal(number, SIG_IGN);
  }
  std::signal(SIGXFSZ, SIG_IGN);
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

// How many values a JSON text has at most, how deep they lie, and how many escapes in its texts are none.
// [[Rcpp::export]]
Rcpp::NumericVector core_json_counts(std::string text) {
  double values = 1;
  long depth = 0, deepest = 0, broken = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\')
        broken += ++i == text.size() || std::strchr("\"\\/bfnrtu", text[i]) == nullptr;
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
  return Rcpp::NumericVector::create(Rcpp::Named("values") = values, Rcpp::Named("depth") = double(deepest),
                                     Rcpp::Named("broken") = double(broken));
}

// 32 hexadecimal digits of the system's own randomness, for secrets.
// [[Rcpp::export]]
std::string core_random_text() {
  std::random_device device;
  std::string text;
  for (int i = 0; i < 4; ++i) {
    char part[9];
    std::snprintf(part, sizeof part, "%08x", device());
    text += part;
  }
  return text;
}
