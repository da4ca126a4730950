#include "ui/theme/theme.h"

#include <QApplication>
#include <QPalette>
#include <QStyleFactory>

namespace bexto::ui {

namespace {

const Palette& lightPalette()
{
  static const Palette kLight{QColor(0xF6F2EA), QColor(0xFCFAF5), QColor(0xDCD4C5), QColor(0xE9E3D6), QColor(0x22262E),
                              QColor(0x6A6F78), QColor(0x3C4CA0), QColor(0x0C7065), QColor(0x6E7582), QColor(0x86610C),
                              QColor(0xBC3517), QColor(0x76397F), QColor(0xFFEFB5)};
  return kLight;
}

const Palette& darkPalette()
{
  static const Palette kDark{QColor(0x1B1A18), QColor(0x232220), QColor(0x3D3A35), QColor(0x2E2B27), QColor(0xE9E4DA),
                             QColor(0xA19C92), QColor(0x9FB0F5), QColor(0x5CC4B4), QColor(0xA7ADB8), QColor(0xD9B25A),
                             QColor(0xFF8A66), QColor(0xD29ADB), QColor(0x5A4A12)};
  return kDark;
}

/// What the desktop asks for: Qt 6.4 has no question for it, but its first palette tells.
bool systemIsDark()
{
  static const bool kDark = QApplication::palette().color(QPalette::Window).lightness() < 110;
  return kDark;
}

}  // namespace

Theme::Theme() : m_palette(lightPalette()) {}

void Theme::apply(ThemeMode mode)
{
  const bool system = systemIsDark();  // asked before the palette is ours
  m_mode = mode;
  m_dark = mode == ThemeMode::Dark || (mode == ThemeMode::System && system);
  m_palette = m_dark ? darkPalette() : lightPalette();
  QApplication::setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
  QPalette p;
  p.setColor(QPalette::Window, m_palette.ground);
  p.setColor(QPalette::Base, m_palette.panel);
  p.setColor(QPalette::AlternateBase, m_palette.ground);
  p.setColor(QPalette::Button, m_palette.panel);
  for (const QPalette::ColorRole role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText,
                                         QPalette::ToolTipText, QPalette::HighlightedText})
    p.setColor(role, m_palette.ink);
  p.setColor(QPalette::PlaceholderText, m_palette.muted);
  p.setColor(QPalette::Highlight, m_palette.selection);
  p.setColor(QPalette::ToolTipBase, m_palette.panel);
  p.setColor(QPalette::Link, m_palette.address);
  p.setColor(QPalette::Mid, m_palette.rule);
  p.setColor(QPalette::Dark, m_palette.rule);
  for (const QPalette::ColorRole role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
    p.setColor(QPalette::Disabled, role, m_palette.muted);
  QApplication::setPalette(p);
  QApplication::setFont(words());
  qApp->setStyleSheet(styleSheet());
  Q_EMIT changed();
}

QString Theme::styleSheet() const
{
  const QString sheet = QStringLiteral(R"(
    QPushButton, QToolButton { background: %2; border: 1px solid %3; border-radius: 5px; padding: 4px 12px; color: %5; }
    QPushButton:hover, QToolButton:hover { background: %4; }
    QPushButton:focus, QToolButton:focus { border-color: %7; }
    QPushButton[primary="true"] { background: %5; color: %2; border-color: %5; }
    QPushButton[flat="true"], QToolButton[flat="true"] { background: transparent; border-color: transparent; padding: 2px 6px; }
    QPushButton[flat="true"]:focus, QToolButton[flat="true"]:focus { border-color: %7; }
    QToolButton::menu-indicator { image: none; }
    QLineEdit, QComboBox { background: %2; border: 1px solid %3; border-radius: 4px; padding: 2px 6px; color: %5; }
    QLineEdit:focus, QComboBox:focus { border-color: %7; }
    QLineEdit[wrong="true"], QComboBox[wrong="true"] { border-color: %8; }
    QComboBox::drop-down { border: none; width: 14px; }
    QComboBox QAbstractItemView { background: %2; color: %5; border: 1px solid %3; selection-background-color: %9; selection-color: %5; }
    QMenu { background: %2; border: 1px solid %3; padding: 4px; }
    QMenu::item { padding: 4px 20px; color: %5; }
    QMenu::item:selected { background: %9; }
    QMenu::item:disabled { color: %6; }
    QToolTip { background: %2; color: %5; border: 1px solid %3; padding: 3px; }
    QSplitter::handle { background: %3; }
    QScrollArea { background: transparent; border: none; }
    QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
    QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
    QScrollBar::handle { background: %3; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }
    QScrollBar::handle:hover { background: %6; }
    QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
    QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
    QProgressBar { background: %4; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }
    QProgressBar::chunk { background: %7; border-radius: 3px; }
  )");
  const Palette& c = m_palette;
  return sheet.arg(c.ground.name(), c.panel.name(), c.rule.name(), c.wash.name(), c.ink.name(), c.muted.name(),
                   c.address.name(), c.fault.name(), c.selection.name());
}

QColor Theme::roleColour(Role role) const
{
  switch (role) {
    case Role::Address: return m_palette.address;
    case Role::Data: return m_palette.payload;
    case Role::Start:
    case Role::Stop:
    case Role::Direction: return m_palette.control;
    case Role::Acknowledge:
    case Role::Parity: return m_palette.check;
  }
  return m_palette.ink;
}

QColor Theme::toneColour(Tone tone) const
{
  switch (tone) {
    case Tone::Plain: return m_palette.ink;
    case Tone::Address: return m_palette.address;
    case Tone::Payload: return m_palette.payload;
    case Tone::Fault: return m_palette.fault;
  }
  return m_palette.ink;
}

QFont Theme::words(int pixels, bool bold) const
{
  QFont font(QStringLiteral("Inter"));
  font.setPixelSize(pixels);
  font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
  font.setStyleHint(QFont::SansSerif);
  return font;
}

QFont Theme::data(int pixels, bool bold) const
{
  QFont font(QStringLiteral("JetBrains Mono"));
  font.setPixelSize(pixels);
  font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
  font.setStyleHint(QFont::Monospace);
  // Ligatures would draw "->" and "==" of somebody's payload as something else.
  font.setStyleStrategy(QFont::PreferDefault);
  return font;
}

Theme& theme()
{
  static auto* const kTheme = new Theme;  // outlives every widget
  return *kTheme;
}

QColor tint(QColor colour, int percent)
{
  colour.setAlphaF(static_cast<float>(percent) / 100.0F);
  return colour;
}

}  // namespace bexto::ui
