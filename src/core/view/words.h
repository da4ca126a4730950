#pragma once

// How each protocol puts its frames in words, for view/sentence.cpp. Each has a file of its own: view/uart_words.cpp …

#include <span>

#include "core/view/sentence.h"

namespace bexto::words {

/// Puts a sentence together.
class Writer {
 public:
  void add(Tone tone, std::string text)
  {
    if (!m_sentence.parts.empty() && m_sentence.parts.back().tone == tone)
      m_sentence.parts.back().text += text;
    else
      m_sentence.parts.push_back({tone, std::move(text)});
  }
  bool empty() const { return m_sentence.parts.empty(); }
  /// What is wrong leads the sentence: the end of a long one is cut off where room is short.
  Sentence takeWithFaults(const std::string& faults)
  {
    if (!faults.empty() && !m_sentence.parts.empty()) {
      const SentencePart lead{Tone::Fault, faults};
      m_sentence.parts.insert(m_sentence.parts.begin(), {lead, SentencePart{Tone::Plain, " · "}});
    }
    return std::move(m_sentence);
  }

 private:
  Sentence m_sentence;
};

/// "10 7F 3C", ending in … and the number of them when there are more than `most`.
std::string rowOfBytes(std::span<const std::uint8_t> bytes, ValueFormat format, std::size_t most);

/// What is wrong with a frame besides what its sentence says at its place, added when it is not there yet.
void addFault(const Bus& bus, Frame frame, FrameError saidElsewhere, std::vector<std::string>& faults);
std::string joined(const std::vector<std::string>& faults);

Sentence uartSentence(const Bus& bus, const Transactions& transactions, std::uint64_t number, std::size_t most);
Detail uartDetail(const Bus& bus, const Frame& frame);

Sentence i2cSentence(const Bus& bus, const Transactions& transactions, FrameRange range, std::size_t most);
std::uint64_t i2cDetailCount(const Frame& frame);
Detail i2cDetail(const Bus& bus, const Frame& frame, std::uint64_t index);

Sentence spiSentence(const Bus& bus, const Frame& frame, std::size_t most);
std::uint64_t spiDetailCount(const Bus& bus, const Frame& frame);
Detail spiDetail(const Bus& bus, const Frame& frame, std::uint64_t index);

Sentence canSentence(const Bus& bus, const Frame& frame, std::size_t most);
std::uint64_t canDetailCount(const Frame& frame);
Detail canDetail(const Bus& bus, const Frame& frame, std::uint64_t index);

}  // namespace bexto::words
