#include <fmt/core.h>

#include <CLI/CLI.hpp>
#include <QCoreApplication>
#include <cstdio>
#include <exception>

#include "core/format/vcd_writer.h"
#include "rig/instrument/server.h"
#include "rig/lock_cycle.h"
#include "rig/peers/can_peer.h"
#include "rig/peers/serial_peer.h"
#include "rig/replay.h"

namespace {

/// Until it is told to end. The port is said once it can be connected to.
int serve(int argc, char** argv, std::uint64_t seed, bexto::rig::Traffic traffic, double speed, quint16 port)
{
  const QCoreApplication application(argc, argv);
  bexto::rig::InstrumentServer server(seed, traffic, speed);
  if (!server.listen(port)) {
    fmt::print(stderr, "bexto-rig: port {} of this machine: {}; choose another one with --port\n", port,
               server.errorString().toStdString());
    return 4;
  }
  fmt::print("scpi://127.0.0.1:{}\n", server.port());
  std::fflush(stdout);
  return QCoreApplication::exec();
}

/// The drives on a CAN interface, until it is told to end.
int driveCan(int argc, char** argv, const std::string& plugin, const std::string& interface)
{
  const QCoreApplication application(argc, argv);
  bexto::rig::CanPeer peer(QString::fromStdString(plugin), QString::fromStdString(interface));
  if (!peer.connectDevice()) {
    fmt::print(stderr, "bexto-rig: {}: {}; choose another one with --interface\n", interface,
               peer.errorString().toStdString());
    return 4;
  }
  fmt::print("can://{}{}\n", interface, plugin == "socketcan" ? "" : "?plugin=" + plugin);
  std::fflush(stdout);
  return QCoreApplication::exec();
}

/// The console on a serial line, until it is told to end.
int talk(int argc, char** argv)
{
  const QCoreApplication application(argc, argv);
  bexto::rig::SerialPeer peer;
  if (!peer.open()) {
    fmt::print(stderr, "bexto-rig: the system gives no pseudo-terminal\n");
    return 4;
  }
  fmt::print("serial:{}?baud=115200\n", peer.port().toStdString());
  std::fflush(stdout);
  return QCoreApplication::exec();
}

int run(int argc, char** argv)
{
  CLI::App app("The simulated plant: writes captures of a lock cycle with known faults, or is an instrument beside it.",
               "bexto-rig");
  app.require_subcommand(1);
  std::string out;
  std::uint64_t seed = 1187;
  CLI::App* demo = app.add_subcommand("demo", "Write the demo capture");
  demo->add_option("OUT", out, "The VCD file to write")->required();
  demo->add_option("--seed", seed, "Another number gives another day with the same faults");
  CLI::App* again =
      app.add_subcommand("replay", "Write the demo capture as fast as it happened, for a window that follows");
  double speed = 1.0;
  again->add_option("OUT", out, "The VCD file to write")->required();
  again->add_option("--seed", seed, "Another number gives another day with the same faults");
  again->add_option("--speed", speed, "So many times as fast")->check(CLI::Range(0.01, 1000.0));
  CLI::App* instrument =
      app.add_subcommand("instrument", "Be a logic instrument at the plant, on a port of this machine (docs/rig.md)");
  quint16 port = 5187;
  double plantSpeed = 1.0;
  bool busy = false;
  instrument->add_option("--port", port, "0: any that is free; which it is, is printed");
  instrument->add_option("--seed", seed, "Another number gives other days");
  instrument->add_option("--speed", plantSpeed, "So many times as fast as it is; 0: as fast as it is asked")
      ->check(CLI::Range(0.0, 1000.0));
  instrument->add_flag("--busy", busy, "Buses that hardly rest, for measuring");
  CLI::App* can = app.add_subcommand("can", "Be the drives on a CAN interface of this machine (docs/rig.md)");
  std::string interface = "can0";
  std::string plugin = "virtualcan";
  can->add_option("--interface", interface, "Its name");
  can->add_option("--plugin", plugin, "The Qt SerialBus plugin that has it: virtualcan, socketcan")
      ->capture_default_str();
  CLI::App* serial = app.add_subcommand("serial", "Be the console at the end of a serial line (docs/rig.md)");
  CLI11_PARSE(app, argc, argv);
  if (can->parsed())
    return driveCan(argc, argv, plugin, interface);
  if (serial->parsed())
    return talk(argc, argv);
  if (instrument->parsed())
    return serve(argc, argv, seed, busy ? bexto::rig::Traffic::Busy : bexto::rig::Traffic::Lock, plantSpeed, port);

  const bexto::rig::LockCycle cycle = bexto::rig::simulateLockCycle(seed);
  const auto written =
      again->parsed() ? bexto::rig::replay(cycle.capture, out, speed) : bexto::writeVcd(cycle.capture, out);
  if (!written) {
    fmt::print(stderr, "bexto-rig: {}\n", written.error().text());
    return 4;
  }
  fmt::print("{}: {:.3f} s of the lock cycle\n", out, bexto::toSeconds(cycle.capture.end));
  fmt::print("  sensor 2A is given up on at {:.6f} s, read stale at {:.6f} s\n",
             bexto::toSeconds(cycle.faults.stretchedRead), bexto::toSeconds(cycle.faults.staleRead));
  fmt::print("  the minute ends between the clock reads at {:.6f} s and {:.6f} s\n",
             bexto::toSeconds(cycle.faults.rolloverSeconds), bexto::toSeconds(cycle.faults.rolloverMinutes));
  fmt::print("  sonar: the upper head is too fast from {:.6f} s on, one message breaks at {:.6f} s\n",
             bexto::toSeconds(cycle.faults.sonarErrors), bexto::toSeconds(cycle.faults.sonarBroken));
  fmt::print("  adc: a bit of a position flips at {:.6f} s\n", bexto::toSeconds(cycle.faults.flippedBit));
  fmt::print("  drives: a glitch corrupts the frame at {:.6f} s, sent again at {:.6f} s; late command at {:.6f} s\n",
             bexto::toSeconds(cycle.faults.corruptedFrame), bexto::toSeconds(cycle.faults.repeatedFrame),
             bexto::toSeconds(cycle.faults.lateCommand));
  return 0;
}

}  // namespace

int main(int argc, char** argv)
{
  try {
    return run(argc, argv);
  } catch (const std::exception& e) {
    std::fprintf(stderr, "bexto-rig: %s\n", e.what());
    return 1;
  }
}
