#pragma once

#include <pcap/pcap.h>

namespace bexto {

/// For std::unique_ptr: closes a file of packets with the stream that it reads from.
struct ClosePcap {
  void operator()(pcap_t* pcap) const { pcap_close(pcap); }
};

}  // namespace bexto
