#pragma once

#include <QApplication>
#include <QComboBox>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QTemporaryDir>
#include <QtTest/QTest>
#include <fstream>

#include "core/decode/bus_spec.h"
#include "core/format/vcd_writer.h"
#include "support/lock_cycle.h"
#include "support/rooms.h"
#include "support/waves.h"
#include "ui/anatomy/anatomy_panel.h"
#include "ui/anatomy/bit_strip.h"
#include "ui/buses/bus_card.h"
#include "ui/buses/bus_editor.h"
#include "ui/buses/bus_panel.h"
#include "ui/ledger/ledger_area.h"
#include "ui/ledger/ledger_header.h"
#include "ui/ledger/ledger_view.h"
#include "ui/overview/overview_strip.h"
#include "ui/theme/theme.h"
#include "ui/timeline/timeline_view.h"
#include "ui/window/main_window.h"
#include "ui/window/notice_bar.h"

/// So that failures show texts, not code units.
inline void PrintTo(const QString& text, std::ostream* out)
{
  *out << '"' << text.toStdString() << '"';
}

namespace bexto::test {

/// A real window, driven by real clicks and keys, on the lock cycle.
class WindowTest : public testing::Test {
 protected:
  void SetUp() override
  {
    QSettings().clear();
    qputenv("XDG_STATE_HOME", m_state.path().toUtf8());
    m_workspace = std::make_unique<ui::Workspace>();
    m_window = std::make_unique<ui::MainWindow>(*m_workspace);
    m_window->resize(1280, 800);
    m_window->show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(m_window.get()));
  }
  void TearDown() override
  {
    m_window.reset();
    m_workspace.reset();
  }

  ui::MainWindow& window() { return *m_window; }
  ui::SessionModel& session() { return m_workspace->session; }
  ui::Engine& engine() { return m_workspace->engine; }
  ui::Focus& focus() { return m_workspace->focus; }
  ui::Workspace& workspace() { return *m_workspace; }
  /// Of the bus whose card stands at that place.
  BusId id(int place) { return engine().bus(place).id; }
  StreamId streamId(int place, int stream) { return {id(place), stream}; }
  /// Where the card of the selection's bus stands; -1 without a selection.
  int selectedBus()
  {
    for (int i = 0; i < engine().busCount(); ++i) {
      if (id(i) == focus().selection().stream.bus)
        return i;
    }
    return -1;
  }

  static const rig::LockCycle& cycle() { return lockCycle(); }
  /// Sensor bus and console of the lock cycle as a file, written once: quick to open.
  static QString demoPath()
  {
    static const QTemporaryDir kFolder;
    const QString path = kFolder.filePath(QStringLiteral("lock-cycle.vcd"));
    static const bool kWritten = [&path] {
      Capture some = cycle().capture;
      some.channels.erase(some.channels.begin() + 3, some.channels.end());
      return writeVcd(some, path.toStdString()).has_value();
    }();
    EXPECT_TRUE(kWritten);
    return path;
  }
  QString file(const QString& name) const { return m_folder.filePath(name); }
  QString fileWith(const QString& name, const std::string& content) const
  {
    std::ofstream(file(name).toStdString(), std::ios::binary) << content;
    return file(name);
  }

  template <typename Condition>
  static bool waitFor(Condition condition, int milliseconds = 10000)
  {
    return QTest::qWaitFor(condition, milliseconds);
  }
  bool waitIdle()
  {
    QApplication::processEvents();
    return waitFor([this] { return !engine().isOpening() && !engine().isDecoding(); });
  }
  void open(const QString& path)
  {
    window().openCapture(path);
    ASSERT_TRUE(waitIdle());
  }
  void addBus(const char* spec)
  {
    Bus bus = *parseBusSpec(spec);
    if (bus.isOf(uartProtocol()))
      bus.format = ValueFormat::Text;
    session().addBus(bus);
    ASSERT_TRUE(waitIdle());
  }
  void openDemo()
  {
    open(demoPath());
    addBus("sensors=i2c,scl=SCL,sda=SDA");
    addBus("console=uart,tx=CONSOLE_TX,baud=115200");
  }

  /// All wires and all buses of the lock cycle.
  void openWholeDemo()
  {
    engine().setCapture(std::make_shared<const Capture>(cycle().capture), QStringLiteral("lock-cycle.vcd"));
    for (const char* spec : {"sensors=i2c,scl=SCL,sda=SDA", "console=uart,tx=CONSOLE_TX,baud=115200",
                             "sonar=uart,rx=SONAR_RX,tx=SONAR_TX,baud=57600,parity=even",
                             "log=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=LOG_CS",
                             "adc=spi,clk=SPI_CLK,mosi=SPI_MOSI,miso=SPI_MISO,cs=ADC_CS,mode=1",
                             "drives=can,rx=CAN_RX,bitrate=500000,fd_bitrate=2000000"})
      session().addBus(*parseBusSpec(spec));
    ASSERT_TRUE(waitIdle());
    ASSERT_TRUE(waitFor([this] { return engine().bus(1).shown.format == ValueFormat::Text; }));
    ASSERT_TRUE(waitIdle());
  }

  /// A wire TALK on which that many characters are sent at 100 000 Bd without a fault, sixteen in a row: long enough, a
  /// decode is seen while it runs.
  static std::shared_ptr<const Capture> longTalk(int characters)
  {
    constexpr std::int64_t kBit = 10000000;
    std::vector<std::int64_t> edges;
    std::int64_t t = kBit;
    for (int i = 0; i < characters; ++i) {
      for (int bit = 0; bit < 10; ++bit, t += kBit)
        edges.push_back(t);  // a start bit and 0x55
      t += i % 16 == 15 ? 40 * kBit : kBit;
    }
    auto capture = std::make_shared<Capture>();
    capture->channels = {{"TALK", "TALK", trackOf(true, edges)}};
    capture->end = Picoseconds{t + kBit};
    return capture;
  }

  const Transactions& transactionsOf(int bus, int stream = 0)
  {
    return engine().bus(bus).streams.at(static_cast<std::size_t>(stream)).transactions;
  }
  void clickLedger(std::uint64_t row) { clickLedger(LedgerPlace{row, 0}); }
  void clickLedger(LedgerPlace line)
  {
    QTest::mouseClick(window().ledger().viewport(), Qt::LeftButton, {}, window().ledger().lineRect(line).center());
  }
  /// The middle of a moment in the lane of a bus or of one of its wires.
  QPoint timelinePoint(std::size_t lane, Picoseconds t)
  {
    const ui::TimelineLane& l = window().timeline().lanes().at(lane);
    return {static_cast<int>(window().timeline().xOf(t)), ui::kRulerHeight + l.top + l.height / 4};
  }
  void clickTimeline(std::size_t lane, Picoseconds t)
  {
    QTest::mouseClick(window().timeline().viewport(), Qt::LeftButton, {}, timelinePoint(lane, t));
  }
  ui::BusEditor* editor(int bus) { return window().buses().cards().at(static_cast<std::size_t>(bus))->editor(); }
  QComboBox* setting(int bus, const char* key) { return editor(bus)->findChild<QComboBox*>(QString::fromLatin1(key)); }
  void openSettings(int bus)
  {
    QTest::mouseClick(window().buses().cards().at(static_cast<std::size_t>(bus)), Qt::LeftButton, {}, QPoint(40, 20));
    ASSERT_NE(editor(bus), nullptr);
  }
  void typeInto(QComboBox* combo, const QString& text)
  {
    combo->setFocus();
    combo->lineEdit()->selectAll();
    QTest::keyClicks(combo->lineEdit(), text);
  }
  LedgerPlace lineOfSelection() { return rows().placeOf(focus().selection()); }
  const ui::LedgerRows& rows() { return window().ledger().rows(); }
  /// Of the line that the keyboard is on.
  std::uint64_t row() { return window().ledger().current().row; }

 private:
  QTemporaryDir m_folder;
  QTemporaryDir m_state;  ///< work that nobody saved
  std::unique_ptr<ui::Workspace> m_workspace;
  std::unique_ptr<ui::MainWindow> m_window;
};

}  // namespace bexto::test
