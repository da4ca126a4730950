// Takes the pictures in docs/screenshots from the demo capture: bexto-screenshots CAPTURE FOLDER.
#include <fmt/core.h>

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QScrollBar>

#include "core/decode/bus_spec.h"
#include "ui/buses/bus_panel.h"
#include "ui/ledger/ledger_view.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/main_window.h"

namespace {

using bexto::ui::MainWindow;

void settle(int milliseconds = 150)
{
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < milliseconds)
    QApplication::processEvents(QEventLoop::AllEvents, 10);
}

void waitForWork(MainWindow& window)
{
  settle();
  while (window.document().isOpening() || window.document().isDecoding())
    settle(20);
  settle();
}

void selectAt(MainWindow& window, bexto::Picoseconds t, int bus = 0, bool exactly = false)
{
  const auto& frames = window.document().bus(bus).streams[0].transactions.frames();
  const std::uint64_t frame = frames.lastUpTo(t);
  window.focus().select({bus, 0, frame, exactly ? t : frames.frame(frame).time.begin});
}

bool take(MainWindow& window, const QDir& folder, const char* name)
{
  settle();
  const bool saved = window.grab().save(folder.filePath(QString::fromLatin1(name)));
  if (!saved)
    fmt::print(stderr, "bexto-screenshots: cannot write {}/{}\n", folder.path().toStdString(), name);
  return saved;
}

}  // namespace

int main(int argc, char** argv)
{
  using namespace std::chrono_literals;
  QApplication app(argc, argv);
  if (argc != 3) {
    fmt::print(stderr, "usage: bexto-screenshots CAPTURE FOLDER\n");
    return 2;
  }
  const QDir folder(QString::fromLocal8Bit(argv[2]));
  bexto::ui::theme().apply(bexto::ui::ThemeMode::Light);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  bool good = take(window, folder, "start.png");
  for (const char* spec : {"sensors=i2c,scl=SCL,sda=SDA", "console=uart,tx=CONSOLE_TX,baud=115200",
                           "sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=57600,parity=even",
                           "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS",
                           "adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1",
                           "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000"})
    window.document().addBus(*bexto::parseBusSpec(spec));
  window.openCapture(QString::fromLocal8Bit(argv[1]));
  waitForWork(window);
  selectAt(window, 1209us);
  good = good && take(window, folder, "main-light.png");

  // The read that the firmware gives up on, with the time that the clock was held between two markers.
  selectAt(window, 3205260us);
  window.focus().zoomToSelection();
  const auto& scl = window.document().capture()->channels[0].track;
  bexto::Picoseconds longest{0};
  bexto::Picoseconds held{0};
  const auto whole = window.focus().selectedTime();
  for (auto t = scl.nextAfter(whole.begin); t < whole.end; t = scl.nextAfter(t)) {
    if (scl.nextAfter(t) - t > longest && !scl.levelAt(t)) {
      longest = scl.nextAfter(t) - t;
      held = t;
    }
  }
  window.focus().addMarker(held, QStringLiteral("SCL falls"));
  window.focus().addMarker(held + longest, QStringLiteral("SCL rises"));
  window.ledger().openLine(window.ledger().current(), true);
  good = good && take(window, folder, "transaction-open.png");

  selectAt(window, 1209us);
  window.focus().clearMarkers();
  window.focus().show({1195us, 1275us});
  window.buses().toggleSettings(1);
  good = good && take(window, folder, "bus-settings.png");
  window.buses().toggleSettings(1);

  // The flash is asked for its identity; then the drive command that a glitch corrupts, with the error frame behind it.
  selectAt(window, 1502us, 3, true);
  window.focus().show({1500100ns, 1503000ns});
  good = good && take(window, folder, "spi.png");
  selectAt(window, 5183600us, 5, true);
  window.focus().show({5183530us, 5183680us});
  good = good && take(window, folder, "can-error.png");
  // The same frame closer, and its neighbours on the lanes put away.
  auto& heads = window.timeline().heads();
  const auto number = [&](const char* name) {
    const auto& lanes = window.timeline().lanes();
    const QString wanted = QString::fromLatin1(name);
    const auto found = std::find_if(lanes.begin(), lanes.end(), [&](const auto& lane) { return lane.name == wanted; });
    return static_cast<int>(found - lanes.begin());
  };
  for (const char* bus : {"sensors", "console", "log", "adc"})
    heads.setFolded(window.timeline().lanes()[static_cast<std::size_t>(number(bus))], true);
  for (const char* bus : {"console", "sonar", "sonar", "log", "SONAR_RX", "SONAR_TX"})
    heads.setHidden(window.timeline().lanes()[static_cast<std::size_t>(number(bus))], true);
  heads.shift(number("drives"), -2);
  heads.resize(number("CAN_RX"), 72);
  selectAt(window, 5183600us, 5, true);
  window.focus().show({5183559us, 5183587us});
  window.timeline().verticalScrollBar()->setValue(0);
  good = good && take(window, folder, "lanes.png");
  heads.reset();
  selectAt(window, 1209us);
  window.focus().show({1195us, 1275us});

  bexto::ui::theme().apply(bexto::ui::ThemeMode::Dark);
  good = good && take(window, folder, "main-dark.png");
  return good ? 0 : 1;
}
