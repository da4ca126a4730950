#pragma once

// Sessions for tests: one that has something of everything, and captures to be read back.

#include <stdlib.h>

#include <filesystem>
#include <fstream>
#include <random>
#include <string>

#include "core/decode/bus_spec.h"
#include "core/signal/edge_track_builder.h"
#include "core/store/session_file.h"

namespace bexto::test {

/// A folder that is gone afterwards.
class Folder {
 public:
  Folder()
  {
    std::string name = (std::filesystem::temp_directory_path() / "bexto-session-XXXXXX").string();
    m_path = ::mkdtemp(name.data());
  }
  ~Folder()
  {
    std::error_code code;
    std::filesystem::permissions(m_path, std::filesystem::perms::owner_all, code);
    std::filesystem::remove_all(m_path, code);
  }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  std::string operator/(const std::string& name) const { return (m_path / name).string(); }
  std::size_t files() const
  {
    return static_cast<std::size_t>(
        std::distance(std::filesystem::directory_iterator(m_path), std::filesystem::directory_iterator()));
  }

 private:
  std::filesystem::path m_path;
};

inline std::string contentOf(const std::string& path)
{
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

inline void put(const std::string& path, const std::string& content)
{
  std::ofstream(path, std::ios::binary) << content;
}

/// Bursts and pauses on `wires` wires; longer is the same, longer.
inline Capture capturedFor(std::size_t edges, std::size_t wires = 3, std::uint64_t seed = 1)
{
  Capture capture;
  capture.source = "bench.vcd";
  capture.tick = Picoseconds{1000};
  for (std::size_t w = 0; w < wires; ++w) {
    std::mt19937_64 random(seed + w);
    EdgeTrackBuilder builder(3);
    builder.set(0, w % 2 == 0);
    std::int64_t t = 0;
    for (std::size_t i = 0; i < edges; ++i)
      builder.toggle(t += 1 + static_cast<std::int64_t>(random() % 300 == 0 ? random() % 90000000 : random() % 2500));
    capture.channels.push_back({"top.w" + std::to_string(w), {}, builder.snapshot()});
    capture.end = std::max(capture.end, Picoseconds{t * 1000});
  }
  nameChannels(capture);
  return capture;
}

inline bool sameTracks(const Capture& a, const Capture& b)
{
  if (a.channels.size() != b.channels.size())
    return false;
  for (std::size_t i = 0; i < a.channels.size(); ++i) {
    const EdgeTrack& x = a.channels[i].track;
    const EdgeTrack& y = b.channels[i].track;
    if (a.channels[i].path != b.channels[i].path || x.size() != y.size() || x.startLevel() != y.startLevel())
      return false;
    for (std::uint64_t edge = 0; edge < x.size(); ++edge) {
      if (x.at(edge) != y.at(edge))
        return false;
    }
  }
  return true;
}

/// Something of everything that a session can hold.
inline SessionFile fullSession(std::size_t edges = 70000)
{
  SessionFile file;
  file.about = {"Lock 3, spring test", "Two lines,\nand “quotes”", "M. Okonjo"};
  Session& s = file.session;
  s.source = "/bench/lock.vcd";
  const BusId sensors = addBus(s, *parseBusSpec("sensors=i2c,scl=top.w0,sda=top.w1,spike=50ns"));
  removeBus(s, addBus(s, *parseBusSpec("gone=i2c,scl=a,sda=b")));
  const BusId console = addBus(s, *parseBusSpec("\"the, console\"=uart,rx=top.w2,baud=115200,parity=even"));
  Bus shown = s.find(console)->bus;
  shown.format = ValueFormat::Text;
  changeBus(s, console, shown);
  setSheets(s, sensors, SheetTexts({{"LT-20.yaml", "sheet: 1\ndevice: \"LT-20\"\n"}, {"x é.yaml", "# “none”\n"}}));
  setConditioning(s, "top.w1", {Picoseconds{30000}, true});
  s.lastSegment = 2;
  s.segment = SegmentId{1};
  const MarkerId a = addMarker(s, Picoseconds{123456}, "w0 rises");
  renameMarker(s, a, "begin of it");
  s.segment = SegmentId{2};
  addNote(s, sensors, Picoseconds{777}, "why\ndoes it rest?");
  removeMarker(s, addMarker(s, Picoseconds{1}));
  LaneArrangement& lanes = s.lanes;
  const LaneKey stream{sensors, "", ""};
  const LaneKey wire{sensors, "", "top.w1"};
  const LaneKey loose{BusId::None, "", "top.w2"};
  lanes.setHidden(loose, true);
  lanes.setFolded(stream, true);
  lanes.setHeight(wire, 77);
  lanes.setName("top.w0", "clock é");
  lanes.setOrder({stream, loose, wire});
  lanes.setAllWires(true);
  lanes.setStillWires(true);
  lanes.setLooseFolded(true);
  lanes.setOpened(loose, true);
  lanes.setFormat(loose, ValueFormat::Octal);
  lanes.setColour("top.w1", WireColour::Violet);
  s.filter = {"address:2A nack", {"nack"}};
  s.columns["all"] = {{"time", 90}, {"text", 400}};
  s.view = {{Picoseconds{5}, Picoseconds{50000}}, {sensors, 0}, Picoseconds{777}, Picoseconds{778}};
  auto first = std::make_shared<Capture>(capturedFor(edges));
  first->trigger = Picoseconds{4242};
  first->rate = 24e6;
  first->notes = {"a note of the reader"};
  first->channels.push_back({"other.name", {}, first->channels[1].track});
  first->vectors = {{"top.number[1:0]", {}, 0, 2}};
  nameChannels(*first);
  file.segments.push_back({"first", "2031-03-17T06:12:00Z", "address:2A nack", true, std::move(first)});
  file.segments.push_back({"second", "", "", true, std::make_shared<Capture>(capturedFor(10, 2, 9))});
  file.segments[0].id = SegmentId{1};
  file.segments[1].id = SegmentId{2};
  file.shown = 1;
  file.attachments = {{"lt-20.yaml", "name: LT-20\n"}, {"nothing", ""}, {"picture.png", std::string("\x89PNG\0\1", 6)}};
  return file;
}

}  // namespace bexto::test
