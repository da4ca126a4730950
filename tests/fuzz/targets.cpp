#include "fuzz/targets.h"

#include "core/decode/bus_spec.h"
#include "core/decode/decoder.h"
#include "core/decode/sentence.h"
#include "core/query/complete.h"
#include "core/query/scan.h"
#include "core/signal/edge_track_builder.h"
#include "fuzz/device_targets.h"
#include "fuzz/file_targets.h"
#include "support/rooms.h"

namespace bexto::fuzz {

namespace {

/// Takes the input apart; zeros when it is used up.
class Source {
 public:
  explicit Source(std::span<const std::uint8_t> bytes) : m_bytes(bytes) {}

  bool empty() const { return m_bytes.empty(); }
  std::uint8_t byte()
  {
    if (m_bytes.empty())
      return 0;
    const std::uint8_t b = m_bytes.front();
    m_bytes = m_bytes.subspan(1);
    return b;
  }
  template <typename T>
  T oneOf(std::initializer_list<T> choices)
  {
    return *(choices.begin() + byte() % choices.size());
  }

 private:
  std::span<const std::uint8_t> m_bytes;
};

Bus busOf(const Protocol& protocol, Source& in)
{
  Bus bus("b", protocol);
  for (const SettingSpec& setting : bus.settings.specs()) {
    if (setting.kind == SettingKind::Choice)
      require(bus.set(setting.key, setting.choices[in.byte() % setting.choices.size()]).has_value(), "choice");
  }
  for (const RoleSpec& role : protocol.facts().roles) {
    if (role.required || in.byte() % 4 != 0)
      bus.setChannel(role.name, role.name);
  }
  if (bus.isOf(uartProtocol())) {
    bus.settings.edit<UartSettings>().baud = in.oneOf({1e6, 115200.0, 9600.0});
    bus.wires = {{"rx", "rx"}};
  }
  if (bus.isOf(i2cProtocol()))
    bus.settings.edit<I2cSettings>().spike = Picoseconds{in.oneOf({0, 50000, 3000000})};
  if (bus.isOf(spiProtocol())) {
    bus.settings.edit<SpiSettings>().gap = Picoseconds{in.oneOf({1, 8000000, 100000000})};
    if (!bus.has("mosi"))
      bus.setChannel("mosi", "mosi");
  }
  if (bus.isOf(linProtocol()))
    bus.settings.edit<LinSettings>().baud = in.oneOf({19200.0, 1e6, 2400.0});
  if (bus.isOf(oneWireProtocol()))
    bus.settings.edit<OneWireSettings>().speed =
        in.oneOf({OneWireSpeed::Auto, OneWireSpeed::Standard, OneWireSpeed::Overdrive});
  if (bus.isOf(canProtocol())) {
    const std::string wire = bus.has("canh") ? "canh" : bus.has("canl") ? "canl" : "rx";
    bus.wires = {{wire, wire}};
    CanSettings& can = bus.settings.edit<CanSettings>();
    can.bitrate = in.oneOf({1e6, 500e3, 1000.0});
    can.fdBitrate = in.oneOf({0.0, 2e6, 8e6});
    can.samplePoint = in.oneOf({0.8, 0.5, 0.99, 0.01});
  }
  // The order of the roles is that of the tracks.
  std::vector<BusWire> ordered;
  for (const RoleSpec& role : protocol.facts().roles) {
    if (!bus.channelOf(role.name).empty())
      ordered.push_back({role.name, bus.channelOf(role.name)});
  }
  bus.wires = ordered;
  return bus;
}

/// Each byte: which wires move, and after how long; long steps take another byte.
std::vector<StreamInput> wiresOf(const Bus& bus, Source& in)
{
  const std::size_t count = bus.wires.size();
  std::vector<EdgeTrackBuilder> builders(count);
  std::vector<Conditioning> how(count);
  for (std::size_t i = 0; i < count; ++i) {
    const std::uint8_t b = in.byte();
    builders[i].set(0, (b & 1U) != 0);
    how[i].invert = (b & 2U) != 0;
    how[i].minPulse = Picoseconds{(b & 4U) != 0 ? (b >> 3U) * 100000 : 0};
  }
  std::vector<StreamInput> pieces;
  std::int64_t now = 0;
  const auto cut = [&](Picoseconds until, bool final) {
    StreamInput piece;
    for (std::size_t i = 0; i < count; ++i)
      piece.tracks.emplace_back(builders[i].snapshot(), how[i]);
    piece.until = until;
    piece.final = final;
    pieces.push_back(std::move(piece));
  };
  while (!in.empty()) {
    const std::uint8_t b = in.byte();
    const std::int64_t length = (b >> 4U) * 125000;
    now += (b & 8U) != 0 ? length * (in.byte() + 1) + 1 : length;
    // Before the moment that is about to change: of the one that was, nothing more will come.
    if ((b & 7U) == 7 && length > 0 && pieces.size() < 4)
      cut(Picoseconds{now - 1}, false);
    for (std::size_t i = 0; i < count; ++i) {
      if ((b >> i & 1U) != 0)
        builders[i].toggle(now);
    }
  }
  now += 20000000;
  cut(Picoseconds{now}, true);
  return pieces;
}

bool same(const Frame& a, const Frame& b)
{
  return a.time == b.time && a.kind == b.kind && a.flags == b.flags && a.errors == b.errors && a.key == b.key &&
         std::equal(a.payload.begin(), a.payload.end(), b.payload.begin(), b.payload.end());
}

void decode(const Protocol& protocol, Source in)
{
  const Bus bus = busOf(protocol, in);
  const std::vector<StreamInput> pieces = wiresOf(bus, in);
  FrameIndexBuilder grown;
  const auto decoder = protocol.decoder(bus, pieces.front());
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    if (i > 0)
      decoder->extend(pieces[i]);
    while (decoder->run(grown, 7)) {
    }
  }
  const StreamInput& whole = pieces.back();
  const FrameIndex frames = decodeStream(bus, whole, std::stop_token())->frames;
  const FrameIndex inPieces = grown.snapshot();
  require(frames.size() == inPieces.size(), "pieces give as many frames as the whole");
  Picoseconds before{0};
  for (std::uint64_t i = 0; i < frames.size(); ++i) {
    const Frame frame = frames.frame(i);
    require(same(frame, inPieces.frame(i)), "pieces give the frames of the whole");
    require(frame.time.begin >= before && frame.time.end >= frame.time.begin, "frames are in order");
    before = frame.time.begin;
    if (i < 64) {
      const Anatomy anatomy = anatomyOf(bus, whole, frames, i);
      for (const Field& field : anatomy.fields)
        require(field.firstBit + field.bitCount <= anatomy.bits.size(), "a field's bits are there");
    }
  }
  const Transactions transactions(bus, frames);
  for (std::uint64_t i = 0; i < std::min<std::uint64_t>(64, transactions.size()); ++i) {
    require(!sentenceOf(bus, transactions, i).text().empty(), "a transaction has words");
    const std::uint64_t details = detailCount(bus, transactions, i);
    require(details > 0 && !detailAt(bus, transactions, i, details - 1).name.empty(), "a transaction has lines");
  }
  Occurring occurring;
  countOccurring(bus, transactions, occurring);
  for (const auto& [key, values] : occurring.byKey) {
    for (const Occurring::Value& value : values)
      require(Query::parse(key + ":" + value.text, {"b"}).has_value(), "what occurs can be asked for");
  }
  for (std::uint64_t i = 0; i < std::min<std::uint64_t>(64, frames.size()); ++i) {
    const Frame frame = frames.frame(i);
    for (const Property& property : protocol.facts().properties) {
      const std::string term = termText(property, {bus, frame, ""});
      require(term.empty() || Query::parse(property.key + ":" + quotedForQuery(term), {"b"}).has_value(),
              "what a frame says can be asked for");
    }
  }
}

/// Any text: understood or refused with a place inside it; what is understood explains itself and can be asked.
void understand(std::span<const std::uint8_t> input)
{
  static const ScanSource kSource = [] {
    const Bus bus = *parseBusSpec("u=uart,rx=a,baud=9600");
    FrameIndexBuilder frames;
    for (std::uint32_t i = 0; i < 100; ++i)
      frames.add({{Picoseconds{i * 2000}, Picoseconds{i * 2000 + 1000}}, kUartCharacter, 1, 0, i, {}});
    return ScanSource{bus, "rx", Transactions(bus, frames.snapshot())};
  }();
  const std::string text(input.begin(), input.end());
  const auto query = Query::parse(text, {"u", "two words"});
  if (!query) {
    const TextSpan at = query.error().at;
    require(!query.error().message.empty(), "a mistake has a name");
    require(at.begin <= at.end && at.end <= text.size(), "a mistake is inside the text");
  } else {
    require(query->empty() || !query->explanation().empty(), "a query explains itself");
    const auto found = scanLines(*query, {kSource}, std::stop_token());
    require(found && found->front().size() <= kSource.transactions.size(), "a query finds lines that are there");
    for (const TextSpan at : query->topTerms())
      require(at.begin < at.end && at.end <= text.size(), "a term is inside the text");
  }
  static const Occurring kOccurring = [] {
    Occurring all;
    countOccurring(kSource.bus, kSource.transactions, all);
    sortOccurring(all);
    return all;
  }();
  const Completions offered = completionsAt(text, text.size() / 2, kOccurring);
  require(offered.replaces.begin <= offered.replaces.end && offered.replaces.end <= text.size(),
          "an offer has its place");
}

}  // namespace

const std::vector<std::string>& targetNames()
{
  static const std::vector<std::string> kNames = [] {
    std::vector<std::string> names = fileTargetNames();
    names.emplace_back("query");
    for (std::string& name : deviceTargetNames())
      names.push_back(std::move(name));
    for (const Protocol* protocol : protocols())
      names.push_back(protocol->name());
    return names;
  }();
  return kNames;
}

void runTarget(const std::string& target, std::span<const std::uint8_t> input)
{
  if (runFileTarget(target, input) || runDeviceTarget(target, input))
    return;
  if (target == "query") {
    understand(input);
    return;
  }
  if (const auto protocol = protocolNamed(target))
    decode(**protocol, Source(input));
}

}  // namespace bexto::fuzz
