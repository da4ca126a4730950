// What bexto-cli writes for the lock cycle and the samples, and says of what makes no sense, on record: the begin of
// each output, and a sum of all of it.
#include <fmt/core.h>

#include <sstream>

#include "support/cli_run.h"
#include "support/kept_text.h"
#include "support/text_sum.h"

using namespace bexto::test;

namespace {

constexpr const char* kBuses =
    "--bus sensors=i2c,scl=SCL,sda=SDA --bus console=uart,tx=CONSOLE_TX,baud=115200 "
    "--bus sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=auto,parity=even "
    "--bus adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1 "
    "--bus drives=can,rx=CAN_RX,bitrate=auto --bus lamps=lin,rx=LAMPS_LIN,baud=auto --bus "
    "bearing=onewire,dq=BEARING_DQ";

class CliOutputs : public CliTest {
 protected:
  /// Of what is written the first `lines`, of what is said all. DEMO, DATA, SHEETS and OUT stand for places, BUSES for
  /// those of the demo.
  std::string told(std::string arguments, std::size_t lines = 6) const
  {
    std::string text = "== " + arguments + "\n";
    replace(arguments, "BUSES", kBuses);
    replace(arguments, "SHEETS", data("../../data/sheets"));
    replace(arguments, "DATA", data(""));
    replace(arguments, "DEMO", path("demo.vcd"));
    replace(arguments, "OUT", path("made"));
    const Outcome made = run(arguments);
    text += fmt::format("exit {}, {}\n", made.status, sumOf(withoutPlaces(made.out)));
    std::istringstream out(withoutPlaces(made.out));
    std::string line;
    for (std::size_t i = 0; i < lines && std::getline(out, line); ++i)
      text += "  " + line + "\n";
    return text + withoutPlaces(made.err);
  }
  /// What the line before wrote into OUT and `suffix`.
  std::string written(const std::string& suffix) const
  {
    return "  written: " + sumOf(withoutPlaces(contentOf(path("made" + suffix)))) + "\n";
  }
  void makeDemo() const
  {
    ASSERT_EQ(
        std::system((std::string(BEXTO_BIN) + "/bexto-rig demo " + path("demo.vcd") + " >" + path("said")).c_str()), 0);
  }

 private:
  static void replace(std::string& text, const std::string& what, const std::string& by)
  {
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + by.size()))
      text.replace(at, what.size(), by);
  }
  std::string withoutPlaces(std::string text) const
  {
    replace(text, data("../../data/"), "");
    replace(text, data(""), "");
    replace(text, path(""), "");
    return text;
  }
};

}  // namespace

TEST_F(CliOutputs, OfTheDemoAreOnRecord)
{
  makeDemo();
  std::string text;
  for (const char* const format : {"text", "jsonl", "csv"}) {
    text += told(std::string("info DEMO --format ") + format, 30);
    text += told(std::string("decode DEMO BUSES --format ") + format);
    text += told(std::string("decode DEMO --from 3.2 --to 3.3 BUSES --device SHEETS/LT-20.yaml@sensors --device "
                             "SHEETS/sonar.yaml@sonar --device SHEETS/drives.yaml@drives --format ") +
                 format);
  }
  for (const char* const filter :
       {"error", "from error byte0>=80 not incomplete", "address:2A read", "text:gate", "id:100..1FF fd",
        "state:stale or pause>100ms", "lasts>5ms", "bus:sonar tx", "rom_command:F0", "checksum_model:classic"})
    text += told(
        std::string("decode DEMO BUSES --device SHEETS/LT-20.yaml@sensors --format text --filter '") + filter + "'", 3);
  text += told("decode DEMO --format text --bus u=uart,rx=CONSOLE_TX,baud=115200,invert=yes --invert CONSOLE_TX", 3);
  text += told("decode DEMO --format text --bus s=i2c,scl=SCL,sda=SDA --ignore SCL=1us --ignore SDA=100ns --to 0.2", 3);
  text += told("check DEMO BUSES --format text", 40);
  text += told("check DEMO BUSES --format junit", 20);
  text += told(
      "check DEMO BUSES --format text --sample-period 10ns --device SHEETS/AQ-416.yaml@adc --rules "
      "i2c-standard@sensors --from 1s --to 5s",
      40);
  text += told("check DEMO --bus x=i2c,scl=SCL,sda=SDA --rules smbus --format text", 20);
  expectKept("said/cli_demo.txt", text);
}

TEST_F(CliOutputs, OfConvertedCapturesAreOnRecord)
{
  makeDemo();
  std::string text;
  const auto tell = [&](const std::string& arguments, std::size_t lines = 5) { text += told(arguments, lines); };
  for (const char* const suffix : {".vcd", ".csv"}) {
    tell(std::string("convert DEMO OUT") + suffix);
    text += written(suffix);
    tell(std::string("info OUT") + suffix + " --format text", 20);
  }
  tell("decode OUT.csv --format text --bus l=lin,rx=LAMPS_LIN,baud=19200");
  tell("convert DEMO OUT.csv --bus drives=can,rx=CAN_RX,bitrate=500000");
  tell("convert DEMO OUT.pcapng --bus drives=can,rx=CAN_RX,bitrate=500000");
  tell("info OUT.pcapng --format text", 20);
  tell("decode OUT.pcapng --format text");
  tell("convert DEMO OUT.vcd.gz");
  tell("info OUT.vcd.gz --format csv", 20);
  tell("convert DATAuart_break.vcd OUT.bin");
  text += written(".bin");
  tell("info OUT.bin --format text");
  tell("info OUT.bin --format text --raw-rate 1MHz --raw-channels 8", 20);
  tell("convert DEMO OUT.bexto --bus sensors=i2c,scl=SCL,sda=SDA --device SHEETS/LT-20.yaml@sensors");
  tell("info OUT.bexto --format text", 30);
  tell("decode OUT.bexto --format text --to 100ms");
  tell("check OUT.bexto --format text", 20);
  tell("info OUT.bexto --segment 2");
  tell("info OUT.bexto --segment 1 --format csv", 20);
  expectKept("said/cli_converted.txt", text);
}

TEST_F(CliOutputs, OfWhatMakesNoSenseAreOnRecord)
{
  std::string text;
  for (const char* const arguments : {
           "",
           "nosuch",
           "--nosuch",
           "info",
           "info DATAnone.vcd",
           "info DATAREADME.md",
           "info DATA",
           "info DATAuart_break.vcd --format xml",
           "info DATAuart_break.vcd --segment 2",
           "info DATAuart_break.vcd --raw-rate fast",
           "info DATAuart_break.vcd --out DATA",
           "info DATAuart_break.vcd --out /nowhere/at/all",
           "decode DATAuart_break.vcd",
           "decode DATAuart_break.vcd --bus",
           "decode DATAuart_break.vcd --bus x",
           "decode DATAuart_break.vcd --bus x=morse,rx=TX",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX",
           "decode DATAuart_break.vcd --bus x=uart,rx=NONE,baud=9600",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=fast",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600,bits=12",
           "decode DATAuart_break.vcd --bus x=uart,baud=9600",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --bus x=uart,rx=TX,baud=9600",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --filter 'adress:2A'",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --filter 'byte0:'",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --filter '(read'",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --from soon",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --from 2s --to 1s",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --device none.yaml",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --device none.yaml@x",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --device SHEETS/LT-20.yaml@y",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --device SHEETS/LT-20.yaml@x",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --invert NONE",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --ignore TX",
           "decode DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --ignore TX=long",
           "check DATAuart_break.vcd",
           "check DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --rules none",
           "check DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --rules can@x",
           "check DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --rules uart@y",
           "check DATAuart_break.vcd --bus x=uart,rx=TX,baud=9600 --sample-period 0",
           "convert DATAuart_break.vcd",
           "convert DATAuart_break.vcd OUT",
           "convert DATAuart_break.vcd OUT.xyz",
           "convert DATAuart_break.vcd OUT.pcapng",
           "convert DATAuart_break.vcd /nowhere/at/all.csv",
           "capture",
           "capture --source nosuch://x --out OUT.bexto",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto",
           "capture --source scpi://127.0.0.1:1 --out OUT.vcd",
           "capture --source serial:/dev/none --out OUT.bexto",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --rate fast",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --for ever",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --trigger SCL=sideways",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --trigger TX=low:2ms..1ms",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --send x",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --send-every often",
           "capture --source scpi://127.0.0.1:1 --out OUT.bexto --collect",
           "help",
           "help nosuch",
           "help decode",
           "help check",
           "help convert",
           "help capture",
       })
    text += told(arguments, 12);
  expectKept("said/cli_refused.txt", text);
}
