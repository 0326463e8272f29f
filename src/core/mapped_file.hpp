// Files as memory: one that is there to be read, and room on disk in place of memory. The system reads and writes pages
// as they are used and needs no memory of its own for them. Where a system has no such thing, both are memory.
#pragma once
#include <cstddef>
#include <string>
#include <vector>

namespace hylo {

// The whole of a file, read as it is looked at. What is written there is seen by this process alone.
class MappedFile {
 public:
  explicit MappedFile(const std::string& path);  // throws std::runtime_error for a file that can't be read
  ~MappedFile();
  MappedFile(const MappedFile&) = delete;
  MappedFile& operator=(const MappedFile&) = delete;

  void* data() const { return data_; }
  std::size_t bytes() const { return bytes_; }

 private:
  void* data_ = nullptr;
  std::size_t bytes_ = 0;
  std::vector<double> read_;  // where there is no mapping
};

// Room for so many bytes in a folder, gone with its owner. All of it is reserved at once, so that a full disk is an
// error here and not later: std::runtime_error.
class ScratchRoom {
 public:
  ScratchRoom(const std::string& folder, std::size_t bytes);
  ~ScratchRoom();
  ScratchRoom(const ScratchRoom&) = delete;
  ScratchRoom& operator=(const ScratchRoom&) = delete;

  void* data() const { return data_; }

  // What follows is advice to the system, and changes nothing else. These bytes will be asked for in no order, so that
  // those beside them need not be fetched with them; and these will be asked for soon.
  void in_no_order(std::size_t from, std::size_t bytes) const;
  void soon(std::size_t from, std::size_t bytes) const;

 private:
  void* data_ = nullptr;
  std::size_t bytes_ = 0;
  std::vector<double> memory_;
};

}  // namespace hylo
