// Gzip (RFC 1952) as it is read: each member to its end, with its checksum and its length. R's own connections take
// what was cut off for the whole.
#include <Rcpp.h>
#include <zlib.h>

#include <cstdio>
#include <memory>
#include <stdexcept>
#include <string>
#include <vector>

namespace {

class Unpacker {
 public:
  explicit Unpacker(const std::string& path) : file_(std::fopen(path.c_str(), "rb"), &std::fclose), packed_(1 << 16) {
    if (!file_) throw std::runtime_error("it can't be opened");
    constexpr int gzip_alone = 15 + 16;
    if (inflateInit2(&stream_, gzip_alone) != Z_OK) throw std::runtime_error("there is no memory to unpack it");
  }
  Unpacker(const Unpacker&) = delete;
  Unpacker& operator=(const Unpacker&) = delete;
  ~Unpacker() { inflateEnd(&stream_); }

  // How many bytes were put at `to`; fewer than `most` at the end alone.
  std::size_t read(unsigned char* to, std::size_t most) {
    std::size_t done = 0;
    while (done < most) {
      if (stream_.avail_in == 0) refill();
      if (stream_.avail_in == 0) {
        if (within_) throw std::runtime_error("it ends before its end");
        return done;
      }
      if (!within_ && !next_member()) continue;
      const uInt room = static_cast<uInt>(std::min<std::size_t>(most - done, 1U << 30));
      stream_.next_out = to + done;
      stream_.avail_out = room;
      const int state = inflate(&stream_, Z_NO_FLUSH);
      done += room - stream_.avail_out;
      if (state == Z_STREAM_END)
        within_ = false;
      else if (state != Z_OK && state != Z_BUF_ERROR)
        throw std::runtime_error("its bytes are not those that were packed");
    }
    return done;
  }

 private:
  void refill() {
    stream_.next_in = packed_.data();
    stream_.avail_in = static_cast<uInt>(std::fread(packed_.data(), 1, packed_.size(), file_.get()));
    if (std::ferror(file_.get())) throw std::runtime_error("it can't be read to its end");
  }

  // Zeros may fill up what stands behind a member; whatever else there is has to be another one.
  bool next_member() {
    if (*stream_.next_in == 0 && begun_) {
      ++stream_.next_in;
      --stream_.avail_in;
      return false;
    }
    if (inflateReset(&stream_) != Z_OK) throw std::runtime_error("there is no memory to unpack it");
    return within_ = begun_ = true;
  }

  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file_;
  std::vector<unsigned char> packed_;
  z_stream stream_{};
  bool within_ = false;
  bool begun_ = false;
};

}  // namespace

// [[Rcpp::export]]
SEXP core_unpacker(std::string path) { return Rcpp::XPtr<Unpacker>(new Unpacker(path), true); }

// At most so many bytes more; none at the end.
// [[Rcpp::export]]
Rcpp::RawVector core_unpack(SEXP unpacker, double most) {
  std::vector<unsigned char> bytes(static_cast<std::size_t>(most));
  const std::size_t n = Rcpp::XPtr<Unpacker>(unpacker)->read(bytes.data(), bytes.size());
  return Rcpp::RawVector(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(n));
}

// Closes the file, before R would come to it.
// [[Rcpp::export]]
void core_unpack_close(SEXP unpacker) { Rcpp::XPtr<Unpacker>(unpacker).release(); }
