// Tested by tests/core/capture_format_test.cpp.
#include "core/format/capture_output.h"

#include <zlib.h>

#include <array>

namespace bexto {

class CaptureOutput::Gzip {
 public:
  Gzip()
  {
    constexpr int kGzip = 16;  // added to the window's bits: a gzip header (zlib's manual, deflateInit2)
    if (deflateInit2(&m_stream, Z_BEST_SPEED, Z_DEFLATED, MAX_WBITS + kGzip, MAX_MEM_LEVEL, Z_DEFAULT_STRATEGY) != Z_OK)
      throw std::bad_alloc();
  }
  ~Gzip() { deflateEnd(&m_stream); }
  Gzip(const Gzip&) = delete;
  Gzip& operator=(const Gzip&) = delete;

  std::string pack(std::string_view piece, bool last)
  {
    std::string out;
    std::array<char, 65536> room;
    m_stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(piece.data()));
    m_stream.avail_in = static_cast<uInt>(piece.size());
    do {
      m_stream.next_out = reinterpret_cast<Bytef*>(room.data());
      m_stream.avail_out = static_cast<uInt>(room.size());
      deflate(&m_stream, last ? Z_FINISH : Z_NO_FLUSH);
      out.append(room.data(), room.size() - m_stream.avail_out);
    } while (m_stream.avail_out == 0);
    return out;
  }

 private:
  z_stream m_stream{};
};

CaptureOutput::CaptureOutput(AtomicFile file, std::unique_ptr<Gzip> packer)
    : m_file(std::move(file)), m_packer(std::move(packer))
{
}
CaptureOutput::CaptureOutput(CaptureOutput&&) noexcept = default;
CaptureOutput::~CaptureOutput() = default;

Result<CaptureOutput> CaptureOutput::create(const std::string& path)
{
  auto file = AtomicFile::create(path);
  if (!file)
    return tl::unexpected(file.error());
  return CaptureOutput(std::move(*file), path.ends_with(".gz") ? std::make_unique<Gzip>() : nullptr);
}

Result<void> CaptureOutput::write(std::string_view bytes)
{
  return m_packer ? m_file.write(m_packer->pack(bytes, false)) : m_file.write(bytes);
}

Result<void> CaptureOutput::finish()
{
  if (m_packer) {
    if (auto written = m_file.write(m_packer->pack({}, true)); !written)
      return written;
  }
  return m_file.commit();
}

}  // namespace bexto
