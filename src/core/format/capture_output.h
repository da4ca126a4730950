#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "core/base/atomic_file.h"

namespace bexto {

/// Where writers of captures put their bytes: a file that appears whole or not at all, packed as gzip does (RFC 1952)
/// when its name ends in .gz.
class CaptureOutput {
 public:
  /// Errors: Unwritable.
  static Result<CaptureOutput> create(const std::string& path);

  CaptureOutput(CaptureOutput&&) noexcept;
  CaptureOutput& operator=(CaptureOutput&&) = delete;
  ~CaptureOutput();

  /// Errors: Unwritable.
  Result<void> write(std::string_view bytes);
  /// The file is there from now on. Errors: Unwritable.
  Result<void> finish();

 private:
  class Gzip;
  CaptureOutput(AtomicFile file, std::unique_ptr<Gzip> packer);

  AtomicFile m_file;
  std::unique_ptr<Gzip> m_packer;  ///< nullptr: plain
};

}  // namespace bexto
