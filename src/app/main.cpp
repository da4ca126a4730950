#include <fmt/core.h>

#include <QApplication>
#include <QCommandLineParser>
#include <QLocale>
#include <algorithm>
#include <csignal>
#include <cstdio>
#include <memory>
#include <string_view>

#include "core/base/atomic_file.h"
#include "core/base/memory.h"
#include "core/check/rulebook_file.h"
#include "core/decode/bus_spec.h"
#include "core/device/sheet_file.h"
#include "core/store/session_file.h"
#include "rig/lock_cycle.h"
#include "ui/bench/bench_panel.h"
#include "ui/text/translation.h"
#include "ui/theme/desktop.h"
#include "ui/theme/theme.h"
#include "ui/window/main_window.h"
#include "ui/window/window_memory.h"

namespace {

/// What is only to be said needs no display.
bool onlySays(int argc, char** argv)
{
  return std::any_of(argv + 1, argv + argc, [](std::string_view argument) {
    return argument == "--version" || argument == "-v" || argument == "--help" || argument == "-h" ||
           argument == "--help-all";
  });
}

/// The lock cycle with all that is set up for it, made on the spot.
bexto::SessionFile demoSession()
{
  constexpr std::uint64_t kSeed = 1187;  // the one of the tutorials and pictures
  bexto::rig::LockCycle cycle = bexto::rig::simulateLockCycle(kSeed);
  bexto::SessionFile file;
  file.about.title = "Lock cycle";
  file.about.description = "8.4 s at a lock's gate controller, with five faults to be found";
  for (const std::string& spec : bexto::rig::lockCycleBuses()) {
    if (auto bus = bexto::parseBusSpec(spec)) {
      for (const bexto::rig::LockCycleSheet& sheet : bexto::rig::lockCycleSheets()) {
        if (sheet.bus == bus->name)
          bexto::attachSheet(*bus, {sheet.name, sheet.text});
      }
      for (const bexto::rig::LockCycleSheet& book : bexto::rig::lockCycleBooks()) {
        if (book.bus == bus->name)
          bexto::attachBook(*bus, {book.name, book.text});
      }
      bexto::addBus(file.session, *bus);
    }
  }
  file.segments.push_back(
      {"lock cycle", {}, {}, true, std::make_shared<const bexto::Capture>(std::move(cycle.capture))});
  return file;
}

}  // namespace

int main(int argc, char** argv)
{
  bexto::keepFreedMemory();
  bexto::removeTemporaryFilesAtSignals();
  std::signal(SIGXFSZ, SIG_IGN);  // a file that may not grow is an output that cannot be written
  const std::unique_ptr<QCoreApplication> app = onlySays(argc, argv) ? std::make_unique<QCoreApplication>(argc, argv)
                                                                     : std::make_unique<QApplication>(argc, argv);
  QApplication::setOrganizationName(QStringLiteral("bexto"));
  QApplication::setApplicationName(QStringLiteral("bexto"));
  QApplication::setApplicationVersion(QStringLiteral(BEXTO_VERSION));
  bexto::ui::useLanguage(QLocale());
  QCommandLineParser parser;
  parser.setApplicationDescription(QApplication::tr("Reads serial bus traffic out of captures."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("CAPTURE"), QApplication::tr("The capture or session to open."),
                               QStringLiteral("[CAPTURE]"));
  const QCommandLineOption busOption(QStringLiteral("bus"),
                                     QApplication::tr("A bus to decode: NAME=PROTOCOL,key=value,… May be repeated."),
                                     QStringLiteral("SPEC"));
  parser.addOption(busOption);
  const QCommandLineOption deviceOption(QStringLiteral("device"),
                                        QApplication::tr("A device sheet and the bus that it is on. May be repeated."),
                                        QStringLiteral("FILE@BUS"));
  parser.addOption(deviceOption);
  const QCommandLineOption rulesOption(QStringLiteral("rules"),
                                       QApplication::tr("A rulebook, and the bus that it is for. May be repeated."),
                                       QStringLiteral("NAME_OR_FILE@BUS"));
  parser.addOption(rulesOption);
  const QCommandLineOption followOption(
      QStringLiteral("follow"), QApplication::tr("The capture is still being written: go on reading as it grows."));
  parser.addOption(followOption);
  const QCommandLineOption sourceOption(
      QStringLiteral("source"), QApplication::tr("An instrument to capture from, like scpi://192.168.1.20:5025."),
      QStringLiteral("URL"));
  parser.addOption(sourceOption);
  const QCommandLineOption recordOption(QStringLiteral("record"),
                                        QApplication::tr("Begin to capture from the instrument at once."));
  parser.addOption(recordOption);
  parser.process(*app);
  bexto::ui::Desktop desktop;  // asked before the palette is ours
  bexto::ui::theme().follow(desktop.look());
  QObject::connect(&desktop, &bexto::ui::Desktop::changed, [&desktop] { bexto::ui::theme().follow(desktop.look()); });
  bexto::ui::memory::restoreLook();
  bexto::ui::memory::restoreCache();
  bexto::ui::Workspace workspace;
  bexto::ui::MainWindow window(workspace);
  window.offerDemo(demoSession);
  std::vector<bexto::Bus> buses;
  for (const QString& spec : parser.values(busOption)) {
    auto bus = bexto::parseBusSpec(spec.toStdString());
    if (!bus) {
      fmt::print(stderr, "bexto: {}\n", bus.error().text());
      return 2;
    }
    buses.push_back(std::move(*bus));
  }
  std::vector<bexto::SheetOnBus> sheets;
  for (const QString& text : parser.values(deviceOption)) {
    auto sheet = bexto::parseSheetOnBus(text.toStdString());
    if (!sheet) {
      fmt::print(stderr, "bexto: {}\n", sheet.error().text());
      return 2;
    }
    sheets.push_back(std::move(*sheet));
  }
  if (auto attached = bexto::attachSheets(sheets, buses); !attached) {
    fmt::print(stderr, "bexto: {}\n", attached.error().text());
    return 2;
  }
  std::vector<bexto::BookOnBus> books;
  for (const QString& text : parser.values(rulesOption))
    books.push_back(bexto::parseBookOnBus(text.toStdString()));
  if (auto attached = bexto::attachBooks(books, buses); !attached) {
    fmt::print(stderr, "bexto: {}\n", attached.error().text());
    return 2;
  }
  if (const QStringList paths = parser.positionalArguments(); !paths.isEmpty()) {
    if (parser.isSet(followOption)) {
      for (const bexto::Bus& bus : buses)
        workspace.session.addBus(bus);
      workspace.engine.source().follow(paths.constFirst());
    } else {
      window.openWith(paths.constFirst(), buses);
    }
  } else {
    for (const bexto::Bus& bus : buses)
      workspace.session.addBus(bus);
  }
  if (parser.isSet(sourceOption)) {
    bexto::CapturePlan plan = workspace.session.value().plan;
    plan.source = parser.value(sourceOption).toStdString();
    workspace.session.plan(plan);
    window.bench().setOpen(true);
  }
  if (parser.isSet(recordOption))
    window.bench().record();
  window.show();
  return QApplication::exec();
}
