#pragma once

// A real window, seen from its Bench.

#include "support/window_fixture.h"
#include "ui/bench/bench_panel.h"

namespace bexto::test {

class BenchTest : public WindowTest {
 protected:
  ui::BenchPanel& bench() { return window().bench(); }
  ui::CaptureSource& source() { return engine().source(); }
  /// By its object name.
  template <typename Widget>
  Widget& part(const char* name)
  {
    auto* const widget = bench().findChild<Widget*>(QString::fromLatin1(name));
    EXPECT_NE(widget, nullptr) << name;
    return *widget;
  }
};

}  // namespace bexto::test
