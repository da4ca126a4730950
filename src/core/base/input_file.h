#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace bexto {

/// A file that is read from its begin to where it ended when it was opened. What gzip packed (RFC 1952; also several
/// members in a row) is unpacked on the way. One thread.
class InputFile {
 public:
  /// Errors: Unreadable for what is missing, no regular file, or not allowed.
  static Result<InputFile> open(const std::string& path);

  InputFile(InputFile&&) noexcept;
  InputFile& operator=(InputFile&&) noexcept;
  ~InputFile();

  /// Fills the room from the front and says how many bytes that were; fewer than there is room for only at the end.
  /// Errors: Unreadable, also for a file that got shorter meanwhile; Malformed for what cannot be unpacked.
  Result<std::size_t> read(std::span<char> room);
  /// How much of the file has been read, from 0 to 1.
  double fraction() const;
  /// After the end: whether what gzip packed breaks off before its own end.
  bool breaksOff() const;
  /// After the end: whether somebody wrote to the file meanwhile.
  bool changed() const;
  /// After the end: what of these a person should know, a sentence each.
  std::vector<std::string> notes() const;

 private:
  struct Impl;
  explicit InputFile(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> m_impl;
};

}  // namespace bexto
