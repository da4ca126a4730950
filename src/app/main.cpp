#include <fmt/core.h>

#include <QApplication>
#include <QCommandLineParser>
#include <cstdio>

#include "core/base/memory.h"
#include "core/decode/bus_spec.h"
#include "ui/theme/theme.h"
#include "ui/window/main_window.h"
#include "ui/window/window_memory.h"

int main(int argc, char** argv)
{
  bexto::keepFreedMemory();
  QApplication app(argc, argv);
  QApplication::setOrganizationName(QStringLiteral("bexto"));
  QApplication::setApplicationName(QStringLiteral("bexto"));
  QApplication::setApplicationVersion(QStringLiteral(BEXTO_VERSION));
  QCommandLineParser parser;
  parser.setApplicationDescription(QApplication::tr("Reads serial bus traffic out of captures."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument(QStringLiteral("CAPTURE"), QApplication::tr("The capture to open: a VCD file."),
                               QStringLiteral("[CAPTURE]"));
  const QCommandLineOption busOption(QStringLiteral("bus"),
                                     QApplication::tr("A bus to decode: NAME=PROTOCOL,key=value,… May be repeated."),
                                     QStringLiteral("SPEC"));
  parser.addOption(busOption);
  const QCommandLineOption followOption(
      QStringLiteral("follow"), QApplication::tr("The capture is still being written: go on reading as it grows."));
  parser.addOption(followOption);
  parser.process(app);
  bexto::ui::theme().apply(bexto::ui::memory::themeMode());
  bexto::ui::MainWindow window;
  for (const QString& spec : parser.values(busOption)) {
    auto bus = bexto::parseBusSpec(spec.toStdString());
    if (!bus) {
      fmt::print(stderr, "bexto: {}\n", bus.error().text());
      return 2;
    }
    window.document().addBus(*bus);
  }
  if (!parser.positionalArguments().isEmpty())
    parser.isSet(followOption) ? window.document().follow(parser.positionalArguments().constFirst())
                               : window.openCapture(parser.positionalArguments().constFirst());
  window.show();
  return QApplication::exec();
}
