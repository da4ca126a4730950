#pragma once

namespace bexto {

/// Told by long work how far it is. The work calls it on its own thread, at least once a few megabytes or
/// milliseconds; implementations return at once.
class Progress {
 public:
  Progress() = default;
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;
  virtual ~Progress() = default;

  /// `fraction` runs from 0 to 1 and does not fall.
  virtual void report(double fraction) = 0;
};

/// For callers that do not care.
class NoProgress final : public Progress {
 public:
  void report(double /*fraction*/) override {}
};

}  // namespace bexto
