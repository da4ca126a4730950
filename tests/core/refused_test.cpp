// What is said of files that are wrong, and what is made of those that are just strange, on record.
#include "core/check/rulebook.h"
#include "core/decode/bus_spec.h"
#include "core/device/sheet_file.h"
#include "core/format/csv_reader.h"
#include "core/format/vcd_reader.h"
#include "rig/lock_cycle.h"
#include "support/kept_text.h"
#include "support/waves.h"

using namespace bexto;
using namespace bexto::test;

namespace {

std::string outcomeOf(const Result<Capture>& read)
{
  if (!read)
    return "refused: " + read.error().text() + "\n";
  std::string text = "end " + std::to_string(read->end.count()) + "\n";
  for (const Channel& channel : read->channels) {
    text += "  " + channel.name + " (" + channel.path + ") " + (channel.track.startLevel() ? "1" : "0");
    for (std::uint64_t i = 0; i < std::min<std::uint64_t>(channel.track.size(), 12); ++i)
      text += " " + std::to_string(channel.track.at(i).count());
    text += " of " + std::to_string(channel.track.size()) + "\n";
  }
  for (const ChannelVector& vector : read->vectors)
    text += "  vector " + vector.name + " " + std::to_string(vector.firstChannel) + "+" + std::to_string(vector.width) +
            "\n";
  for (const std::string& note : read->notes)
    text += "  note: " + note + "\n";
  return text;
}

/// The text with one of its lines left out, doubled, cut in the middle, or with another word in it.
std::vector<std::string> spoiled(const std::string& text)
{
  const std::vector<std::string> lines = linesIn(text);
  std::vector<std::string> all;
  const auto with = [&](std::size_t at, const std::string& line, std::size_t skipped) {
    std::string changed;
    for (std::size_t i = 0; i < lines.size(); ++i)
      changed += i == at ? line : i > at && i < at + skipped ? "" : lines[i] + "\n";
    all.push_back(changed);
  };
  for (std::size_t i = 0; i < lines.size(); ++i) {
    if (lines[i].empty() || lines[i].front() == '#')
      continue;
    with(i, "", 1);
    with(i, lines[i] + "\n" + lines[i] + "\n", 1);
    with(i, lines[i].substr(0, lines[i].size() / 2) + "\n", 1);
    if (const std::size_t colon = lines[i].find(": "); colon != std::string::npos)
      with(i, lines[i].substr(0, colon + 2) + "[wrong, 17]\n", 1);
  }
  return all;
}

}  // namespace

TEST(Refused, DumpsAreOnRecord)
{
  const std::string head =
      "$timescale 1 ns $end $scope module top $end $var wire 1 ! clk $end $var wire 4 \" bus [3:0] $end "
      "$upscope $end $enddefinitions $end\n";
  std::string text;
  for (const std::string& dump : std::vector<std::string>{
           head + "#0\n0!\nb0000 \"\n#10\n1!\n#20\n0!\nb1010 \"\n#30\n",
           head + "#0\n1!\n#10\n1!\n#10\n0!\n#12\n",
           head + "#10\n0!\n#5\n1!\n",
           head + "#0\nx!\nbx1z0 \"\n#7\n1!\nb1 \"\n#9\n",
           head + "#0\n0?\n",
           head + "#0\n0!\n#1",
           head + "0!\n#4\n1!\n#9\n",
           head + "#0 0! #10 1! #20 0!",
           head + "",
           head + "#\n0!\n",
           head + "#99999999999999999999\n0!\n",
           head + "#0\n2!\n",
           head + "#0\nb12 \"\n",
           head + "#0\nb00001111 \"\n#3\n",
           head + "#0\nr1.5 !\n#3\n",
           head +
               "$comment hello $end\n#0\n$dumpvars 0! b0 \" $end\n#5\n1!\n$dumpoff x! $end\n#9\n$dumpon 0! $end\n#12\n",
           std::string("$timescale 3 ns $end\n") + head,
           std::string("$timescale 10 us $end $var wire 1 ! a $end $enddefinitions $end\n#0\n0!\n#3\n1!\n#4\n"),
           std::string("$timescale 1 parsec $end $enddefinitions $end\n"),
           std::string("$var wire 1 ! a $end\n#0\n0!\n#1\n"),
           std::string("$timescale 1 ns $end $var wire x ! a $end $enddefinitions $end\n"),
           std::string("$timescale 1 ns $end $var wire 1 ! a\n"),
           std::string("$timescale 1 ns $end $enddefinitions $end\n#0\n"),
           std::string("$timescale 1 ns $end $var wire 1 ! a $end $var wire 1 ! b $end $var reg 2 # c $end "
                       "$enddefinitions $end\n#0\n0!\n#5\n1!\nb10 #\n#6\n"),
           std::string("not a dump at all\n"),
           std::string("\x00\x01\x02", 3),
           std::string(),
           std::string("$scope module a $end $scope module b $end $var wire 1 ! x $end $upscope $end $var wire 1 % x "
                       "$end $upscope $end $timescale 1ps $end $enddefinitions $end\n#0\n0!\n1%\n#5\n1!\n0%\n#8\n")}) {
    NoProgress none;
    text += "== " + (dump.size() > 60 ? dump.substr(dump.size() - 60) : dump) + "\n" +
            outcomeOf(parseVcd(dump, "some.vcd", std::stop_token(), none));
  }
  for (char& c : text)
    c = c == '\0' ? '0' : c;
  expectKept("refused/dumps.txt", text);
}

TEST(Refused, RowsAreOnRecord)
{
  std::string text;
  for (const std::string& rows : std::vector<std::string>{"time,a,b\n0,0,1\n1e-6,1,1\n2e-6,0,0\n",
                                                          "time [us];a;b\n0;0;1\n0,5;1;1\n2;0;0\n",
                                                          "t\ta\n0\t0\n1\t1\n",
                                                          "time (ms),a\n0,0\n1,1\n0.5,0\n",
                                                          "a,b\n0,1\n1,1\n",
                                                          "time,a\n0,0\n1\n2,1\n",
                                                          "time,a\n0,0\n1,x\n2,1\n",
                                                          "time,a\n",
                                                          "time,a\n0,0,7\n1,1\n",
                                                          "# made by hand\n\ntime,a\n0,0\n1,1\n",
                                                          "time,a\n0,0.1\n1,3.3\n2,0.2\n3,3.1\n",
                                                          "time,a,note\n0,0,\"x,y\"\n1,1,\"z\"\n",
                                                          "time,a\n0,true\n1,false\n",
                                                          "time,a\n0,high\n1,low\n",
                                                          "0,0\n1,1\n2,0\n",
                                                          "time,a,a\n0,0,1\n1,1,0\n",
                                                          "time,\n0,0\n1,1\n",
                                                          "TIME [ns],CLK,DATA\r\n0,0,1\r\n10,1,1\r\n",
                                                          "time,a\n-1,0\n0,1\n1,0\n",
                                                          "time,a\n1e99,0\n2e99,1\n",
                                                          "time,a\n0,0\n0,1\n1,0\n",
                                                          "\"time\",\"a\"\n\"0\",\"1\"\n\"1\",\"0\"\n",
                                                          "x",
                                                          "",
                                                          ",,\n,,\n",
                                                          "time|a\n0|1\n2|0\n",
                                                          "time a\n0 1\n2 0\n"}) {
    text += "== " + (rows.size() > 50 ? rows.substr(0, 50) : rows) + "\nlooks " +
            (looksLikeCsv(rows) ? "like rows" : "like none") + "\n" + outcomeOf(parseCsv(rows, "some.csv", {}));
    text += "with a rate\n" + outcomeOf(parseCsv(rows, "some.csv", {1e6, 0, {}}));
  }
  expectKept("refused/rows.txt", text);
}

TEST(Refused, BusSpecsAreOnRecord)
{
  std::string text;
  NoProgress none;
  const auto capture = readVcd(std::string(BEXTO_TEST_DATA) + "/mixed_four.vcd", std::stop_token(), none);
  ASSERT_TRUE(capture);
  for (const char* const spec : {"",
                                 "x",
                                 "x=",
                                 "x=nosuch",
                                 "=uart,rx=a",
                                 "u=uart",
                                 "u=uart,rx=a",
                                 "u=uart,rx=a,baud=0",
                                 "u=uart,rx=a,baud=fast",
                                 "u=uart,rx=a,baud=115200,parity=odd",
                                 "u=uart,rx=a,baud=115200,parity=some",
                                 "u=uart,rx=a,baud=115200,bits=10",
                                 "u=uart,rx=a,baud=115200,stop=3",
                                 "u=uart,rx=a,rx=b,baud=9600",
                                 "u=uart,rx=a,baud=9600,nosuch=1",
                                 "u=uart,rx=a,tx=a,baud=9600",
                                 "i=i2c,scl=a",
                                 "i=i2c,scl=a,sda=a",
                                 "i=i2c,scl=nowhere,sda=b",
                                 "s=spi,clk=a",
                                 "s=spi,clk=a,mosi=b,mode=4",
                                 "s=spi,clk=a,mosi=b,bits=0",
                                 "s=spi,clk=a,mosi=b,bits=33",
                                 "s=spi,clk=a,mosi=b,gap=x",
                                 "s=spi,clk=a,mosi=b,gap=10us",
                                 "c=can,rx=a",
                                 "c=can,rx=a,bitrate=500000",
                                 "c=can,rx=a,bitrate=-1",
                                 "c=can,rx=a,bitrate=500000,sample_point=120",
                                 "c=can,rx=a,bitrate=500000,fd_bitrate=none",
                                 "c=can,rx=a,bitrate=500000,fd_bitrate=2000000,iso=maybe",
                                 "l=lin,rx=a",
                                 "l=lin,rx=a,baud=19200,checksum=none",
                                 "l=lin,rx=a,baud=auto",
                                 "o=onewire,dq=a",
                                 "o=onewire,dq=a,speed=quick",
                                 "o=onewire",
                                 "u=uart,rx=a,baud=9600,order=middle",
                                 "u=uart,rx=a,baud=1e6",
                                 "u=uart,rx=a,baud=9600,invert=yes",
                                 "a b=uart,rx=a,baud=9600",
                                 "u=uart,,rx=a",
                                 "u=uart,rx"}) {
    text += "== " + std::string(spec) + "\n";
    const auto bus = parseBusSpec(spec);
    if (!bus) {
      text += bus.error().text() + "\n";
      continue;
    }
    text += busSpecText(*bus) + "\n";
    const auto resolved = resolveBus(*bus, *capture);
    text += resolved ? std::to_string(resolved->streams.size()) + " streams\n" : resolved.error().text() + "\n";
  }
  expectKept("refused/bus_specs.txt", text);
}

TEST(Refused, SheetsAreOnRecord)
{
  std::string text;
  for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
    if (sheet.name != "LT-20.yaml" && sheet.name != "drives.yaml" && sheet.name != "AQ-416.yaml" &&
        sheet.name != "sonar.yaml")
      continue;
    text += "== " + sheet.name + "\n";
    std::size_t number = 0;
    for (const std::string& wrong : spoiled(sheet.text)) {
      const SheetRead read = readSheet(wrong);
      text += std::to_string(number++) + ":";
      for (const SheetProblem& problem : read.problems)
        text += " | " + problem.text();
      text += "\n";
    }
  }
  expectKept("refused/sheets.txt", text);
}

TEST(Refused, RulebooksAreOnRecord)
{
  std::string text;
  for (const rig::LockCycleSheet& book : rig::lockCycleBooks()) {
    text += "== " + book.name + "\n";
    std::size_t number = 0;
    for (const std::string& wrong : spoiled(book.text)) {
      text += std::to_string(number++) + ":";
      for (const SheetProblem& problem : readRulebook(wrong).problems)
        text += " | " + problem.text();
      text += "\n";
    }
  }
  expectKept("refused/rulebooks.txt", text);
}
