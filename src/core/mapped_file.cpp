#include "mapped_file.hpp"

#include <cerrno>
#include <cstring>
#include <fstream>
#include <stdexcept>

#ifndef _WIN32
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#endif

namespace hylo {

namespace {

[[noreturn]] void complain(const std::string& what, int error) {
  throw std::runtime_error(what + ": " + std::strerror(error));
}

#ifndef _WIN32
// Closed when it goes; a mapping outlives it.
class OpenFile {
 public:
  explicit OpenFile(int number) : number_(number) {}
  ~OpenFile() {
    if (number_ >= 0) close(number_);
  }
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;
  int number() const { return number_; }

 private:
  int number_;
};
#endif

}  // namespace

#ifndef _WIN32

MappedFile::MappedFile(const std::string& path) {
  const OpenFile file(open(path.c_str(), O_RDONLY | O_CLOEXEC));
  struct stat there;
  if (file.number() < 0 || fstat(file.number(), &there) != 0) complain(path + " can't be read", errno);
  bytes_ = std::size_t(there.st_size);
  if (bytes_ == 0) return;
  void* at = mmap(nullptr, bytes_, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_NORESERVE, file.number(), 0);
  if (at == MAP_FAILED) complain(path + " can't be mapped", errno);
  data_ = at;
}

MappedFile::~MappedFile() {
  if (data_ != nullptr) munmap(data_, bytes_);
}

ScratchRoom::ScratchRoom(const std::string& folder, std::size_t bytes) : bytes_(bytes) {
  if (bytes == 0) return;
  std::string name = folder + "/hylomath-XXXXXX";
  const OpenFile file(mkstemp(name.data()));
  if (file.number() < 0) complain("there can be no file in " + folder, errno);
  unlink(name.c_str());  // it has no name any more, so nothing is left behind however the process ends
#ifdef __APPLE__
  const int refused = ftruncate(file.number(), off_t(bytes)) == 0 ? 0 : errno;
#else
  const int refused = posix_fallocate(file.number(), 0, off_t(bytes));
#endif
  if (refused != 0) complain("there is no room for " + std::to_string(bytes) + " bytes in " + folder, refused);
  void* at = mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, file.number(), 0);
  if (at == MAP_FAILED) complain("a file in " + folder + " can't be mapped", errno);
  data_ = at;
}

ScratchRoom::~ScratchRoom() {
  if (data_ != nullptr) munmap(data_, bytes_);
}

namespace {

// Whole pages, as the system has them.
void advise(void* data, std::size_t from, std::size_t bytes, int how) {
  static const std::size_t page = std::size_t(sysconf(_SC_PAGESIZE));
  const std::size_t begin = from / page * page;
  madvise(static_cast<char*>(data) + begin, from + bytes - begin, how);
}

}  // namespace

void ScratchRoom::in_no_order(std::size_t from, std::size_t bytes) const { advise(data_, from, bytes, MADV_RANDOM); }
void ScratchRoom::soon(std::size_t from, std::size_t bytes) const { advise(data_, from, bytes, MADV_WILLNEED); }

#else

MappedFile::MappedFile(const std::string& path) {
  std::ifstream file(path, std::ios::binary | std::ios::ate);
  if (!file) complain(path + " can't be read", ENOENT);
  bytes_ = std::size_t(file.tellg());
  read_.resize((bytes_ + sizeof(double) - 1) / sizeof(double));
  file.seekg(0);
  if (!file.read(reinterpret_cast<char*>(read_.data()), std::streamsize(bytes_)))
    complain(path + " can't be read", EIO);
  data_ = read_.data();
}

MappedFile::~MappedFile() = default;

ScratchRoom::ScratchRoom(const std::string&, std::size_t bytes)
    : bytes_(bytes), memory_((bytes + sizeof(double) - 1) / sizeof(double)) {
  data_ = memory_.data();
}

ScratchRoom::~ScratchRoom() = default;
void ScratchRoom::in_no_order(std::size_t, std::size_t) const {}
void ScratchRoom::soon(std::size_t, std::size_t) const {}

#endif

}  // namespace hylo
