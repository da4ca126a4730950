#include "ui/theme/theme.h"

#include <QAbstractButton>
#include <QAction>
#include <cmath>
#include <set>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using ui::Palette;

namespace {

/// Relative luminance and contrast ratio as WCAG 2.1 defines them (section "relative luminance").
double luminance(const QColor& c)
{
  const auto part = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
  return 0.2126 * part(c.redF()) + 0.7152 * part(c.greenF()) + 0.0722 * part(c.blueF());
}

double contrast(const QColor& a, const QColor& b)
{
  const double x = luminance(a);
  const double y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

class Look : public testing::TestWithParam<ui::ThemeMode> {
 protected:
  void SetUp() override { ui::theme().apply(GetParam()); }
  void TearDown() override { ui::theme().apply(ui::ThemeMode::Light); }
};

}  // namespace

TEST_P(Look, TextStandsOutFromWhatIsBehindIt)
{
  const Palette& c = ui::theme().colours();
  for (const QColor& back : {c.ground, c.panel, c.selection}) {
    for (const auto& [name, text] : std::vector<std::pair<std::string, QColor>>{
             {"ink", c.ink}, {"address", c.address}, {"payload", c.payload}, {"fault", c.fault}, {"device", c.device}})
      EXPECT_GE(contrast(text, back), 4.5) << name << " on " << back.name().toStdString();
  }
  for (const QColor& back : {c.ground, c.panel})
    EXPECT_GE(contrast(c.muted, back), 4.5);
}

TEST_P(Look, EveryRoleHasAColourOfItsOwn)
{
  const ui::Theme& t = ui::theme();
  EXPECT_NE(t.roleColour(Role::Address), t.roleColour(Role::Data));
  EXPECT_NE(t.roleColour(Role::Data), t.roleColour(Role::Acknowledge));
  EXPECT_NE(t.roleColour(Role::Start), t.roleColour(Role::Acknowledge));
  EXPECT_EQ(t.roleColour(Role::Address), t.toneColour(Tone::Address));
  EXPECT_EQ(t.toneColour(Tone::Fault), t.colours().fault);
}

TEST_P(Look, StrongContrastIsSevenToOneAndLinesAreSeen)
{
  ui::theme().setHighContrast(true);
  const Palette c = ui::theme().colours();
  ui::theme().setHighContrast(false);
  for (const QColor& back : {c.ground, c.panel}) {
    for (const auto& [name, text] : std::vector<std::pair<std::string, QColor>>{{"ink", c.ink},
                                                                                {"muted", c.muted},
                                                                                {"address", c.address},
                                                                                {"payload", c.payload},
                                                                                {"control", c.control},
                                                                                {"check", c.check},
                                                                                {"fault", c.fault},
                                                                                {"device", c.device}})
      EXPECT_GE(contrast(text, back), 7.0) << name << " on " << back.name().toStdString();
    EXPECT_GE(contrast(c.rule, back), 3.0);
  }
  for (const QColor& text : {c.ink, c.address, c.payload, c.fault})
    EXPECT_GE(contrast(text, c.selection), 7.0) << text.name().toStdString();
  EXPECT_NE(c.ground, ui::theme().colours().ground);
}

INSTANTIATE_TEST_SUITE_P(Modes, Look, testing::Values(ui::ThemeMode::Light, ui::ThemeMode::Dark));

using Reachable = WindowTest;

TEST_F(Reachable, EveryControlHasANameForThoseWhoDoNotSeeIt)
{
  openDemo();
  openSettings(0);
  for (const QWidget* widget : window().findChildren<QWidget*>()) {
    if (!widget->isVisible() || widget->focusPolicy() == Qt::NoFocus || (widget->focusPolicy() & Qt::TabFocus) == 0)
      continue;
    const auto* button = qobject_cast<const QAbstractButton*>(widget);
    const bool named = !widget->accessibleName().isEmpty() || (button != nullptr && !button->text().isEmpty()) ||
                       qobject_cast<const QLineEdit*>(widget) != nullptr || widget->inherits("QScrollArea") ||
                       widget->inherits("QAbstractItemView");
    EXPECT_TRUE(named) << widget->metaObject()->className() << " " << widget->objectName().toStdString();
  }
}

TEST_F(Reachable, NoTwoShortcutsAreTheSame)
{
  std::set<QString> seen;
  for (const QAction* action : window().actions()) {
    if (!action->shortcut().isEmpty()) {
      EXPECT_TRUE(seen.insert(action->shortcut().toString()).second) << action->text().toStdString();
    }
  }
  EXPECT_GE(seen.size(), 10U);
}

TEST(Theme, DrawsDataLetterByLetterWithoutLigatures)
{
  const auto glyphs = [](const QString& text) {
    QTextLayout layout(text, ui::theme().data());
    layout.beginLayout();
    layout.createLine();
    layout.endLayout();
    QList<quint32> all;
    for (const QGlyphRun& run : layout.glyphRuns())
      all += run.glyphIndexes();
    return all;
  };
  QList<quint32> alone;
  for (const QChar letter : QStringLiteral("!=->=="))
    alone += glyphs(QString(letter));
  EXPECT_EQ(glyphs(QStringLiteral("!=->==")), alone);
}

using ThemeWindow = WindowTest;

TEST_F(ThemeWindow, WhatIsSaidAlreadyTakesTheNewLooksColours)
{
  openDemo();
  window().notice().showError(QStringLiteral("something went wrong"));
  for (const ui::ThemeMode mode : {ui::ThemeMode::Dark, ui::ThemeMode::Light}) {
    ui::theme().apply(mode);
    QApplication::processEvents();
    const auto* said = window().notice().findChild<QLabel*>(QStringLiteral("notice"));
    EXPECT_EQ(said->palette().color(said->foregroundRole()), ui::theme().colours().fault);
    for (QLabel* label : window().findChildren<QLabel*>()) {
      if (label->text().startsWith(QStringLiteral("lock-cycle.vcd · "))) {
        EXPECT_EQ(label->palette().color(label->foregroundRole()), ui::theme().colours().muted);
        const QImage image = label->grab().toImage();
        int inks = 0;
        for (int x = 0; x < image.width(); ++x) {
          for (int y = 0; y < image.height(); ++y)
            inks += image.pixelColor(x, y) == ui::theme().colours().muted ? 1 : 0;
        }
        EXPECT_GT(inks, 5) << "and it is written in it";
      }
    }
  }
  ui::theme().apply(ui::ThemeMode::Light);
}
