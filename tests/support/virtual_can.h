#pragma once

// The virtual CAN bus of this process: those of tests that run beside it are on other ports.

#include <unistd.h>

#include <string>

namespace bexto::test {

inline std::string virtualCanServer()
{
  constexpr int kFirstPort = 20000;
  constexpr int kPorts = 12000;
  return "127.0.0.1:" + std::to_string(kFirstPort + ::getpid() % kPorts);
}
/// For the plugin.
inline std::string virtualCan(const std::string& interface)
{
  return "tcp://" + virtualCanServer() + "/" + interface;
}
/// As a source.
inline std::string virtualCanUrl(const std::string& interface)
{
  return "can://" + interface + "?plugin=virtualcan&server=" + virtualCanServer();
}

}  // namespace bexto::test
