#include <QUrl>

#include "core/base/say.h"
#include "live/scpi_source.h"

namespace bexto::live {

Result<std::unique_ptr<LiveSource>> makeSource(const std::string& url)
{
  constexpr int kScpiPort = 5025;  // registered for raw SCPI: IANA, service "scpi-raw"
  const QUrl address(QString::fromStdString(url));
  if (address.scheme() == QLatin1String("scpi") && !address.host().isEmpty())
    return std::make_unique<ScpiSource>(address.host().toStdString(),
                                        static_cast<std::uint16_t>(address.port(kScpiPort)));
  return fail(ErrorCode::BadArgument, say("'{}' is no source", url), {}, say("write it like scpi://192.168.1.20:5025"));
}

}  // namespace bexto::live
