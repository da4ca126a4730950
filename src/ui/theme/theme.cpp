#include "ui/theme/theme.h"

#include <QApplication>
#include <QPalette>
#include <QRegularExpression>
#include <QStyleFactory>
#include <QWidget>
#include <algorithm>
#include <array>
#include <cmath>

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
                             QColor(0xFF8A66), QColor(0xD29ADB), QColor(0x42370D)};
  return kDark;
}

const Palette& strongLightPalette()
{
  static const Palette kLight{QColor(0xFFFFFF), QColor(0xFFFFFF), QColor(0x77726A), QColor(0xE4E0D8), QColor(Qt::black),
                              QColor(0x43474E), QColor(0x24338A), QColor(0x06534A), QColor(0x454B57), QColor(0x5E4303),
                              QColor(0x8E210A), QColor(0x5C2464), QColor(0xFFE89A)};
  return kLight;
}

const Palette& strongDarkPalette()
{
  static const Palette kDark{QColor(Qt::black), QColor(0x0B0B0A), QColor(0x8C877E), QColor(0x33302C), QColor(0xFFFFFF),
                             QColor(0xD2CEC6),  QColor(0xC6D0FF), QColor(0x93EADB), QColor(0xD5DAE2), QColor(0xF2D38E),
                             QColor(0xFFB8A2),  QColor(0xEECBF2), QColor(0x3A2F08)};
  return kDark;
}

/// The usual text of the larger of the common desktops, 11 points on a screen of 96 dots an inch: the design is made
/// for it. Who asks for larger text than that gets it.
constexpr double kUsualPixels = 11.0 * 96.0 / 72.0;
constexpr double kMostScale = 2.5;

}  // namespace

Theme::Theme() : m_palette(lightPalette()) {}

void Theme::apply(ThemeMode mode)
{
  m_mode = mode;
  dress();
}

void Theme::follow(const DesktopLook& desktop)
{
  if (desktop == m_desktop)
    return;
  m_desktop = desktop;
  dress();
}

void Theme::setHighContrast(bool wanted)
{
  m_highContrast = wanted;
  dress();
}

void Theme::setTextSize(int percent)
{
  m_textSize = percent;
  dress();
}

int Theme::atDesign(int pixels) const
{
  return static_cast<int>(std::lround(pixels / m_scale));
}

void Theme::dress()
{
  const double asked = m_textSize > 0 ? m_textSize / 100.0 : m_desktop.textPixels / kUsualPixels;
  const double scale = std::clamp(asked, 1.0, kMostScale);
  const bool otherSize = scale != m_scale;
  m_scale = scale;
  m_dark = m_mode == ThemeMode::Dark || (m_mode == ThemeMode::System && m_desktop.dark);
  m_palette = isHighContrast() ? (m_dark ? strongDarkPalette() : strongLightPalette())
                               : (m_dark ? darkPalette() : lightPalette());
  QApplication::setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
  QPalette p;
  p.setColor(QPalette::Window, m_palette.ground);
  p.setColor(QPalette::Base, m_palette.panel);
  p.setColor(QPalette::AlternateBase, m_palette.ground);
  p.setColor(QPalette::Button, m_palette.panel);
  for (const QPalette::ColorRole role :
       {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText, QPalette::HighlightedText})
    p.setColor(role, m_palette.ink);
  p.setColor(QPalette::PlaceholderText, m_palette.muted);
  p.setColor(QPalette::Highlight, m_palette.selection);
  p.setColor(QPalette::ToolTipBase, m_palette.panel);
  p.setColor(QPalette::Link, m_palette.address);
  p.setColor(QPalette::LinkVisited, m_palette.fault);  // nothing here is a link: see setInk()
  p.setColor(QPalette::BrightText, m_palette.device);
  p.setColor(QPalette::Mid, m_palette.rule);
  p.setColor(QPalette::Dark, m_palette.rule);
  for (const QPalette::ColorRole role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
    p.setColor(QPalette::Disabled, role, m_palette.muted);
  QApplication::setPalette(p);
  QApplication::setFont(words());
  qApp->setStyleSheet(styleSheet());
  if (otherSize)
    Q_EMIT resized();
  Q_EMIT changed();
}

QString Theme::styleSheet() const
{
  QString sheet = QStringLiteral(R"(
    QPushButton, QToolButton { background: @panel; border: 1px solid @rule; border-radius: 5px; padding: 4px 12px; color: @ink; }
    QPushButton:hover, QToolButton:hover { background: @wash; }
    QPushButton:focus, QToolButton:focus { border-color: @address; }
    QPushButton:disabled, QToolButton:disabled { color: @muted; background: transparent; }
    QPushButton[primary="true"] { background: @ink; color: @panel; border-color: @ink; }
    QPushButton[flat="true"], QToolButton[flat="true"] { background: transparent; border-color: transparent; padding: 2px 6px; }
    QPushButton[flat="true"]:focus, QToolButton[flat="true"]:focus { border-color: @address; }
    QToolButton[flat="true"]:checked { color: @address; border-color: @rule; }
    QToolButton[tab="true"] { background: transparent; border: none; border-bottom: 2px solid transparent; border-radius: 0; padding: 6px; color: @muted; }
    QToolButton[tab="true"]:checked { color: @ink; border-bottom-color: @ink; }
    QToolButton[tab="true"]:focus { color: @address; }
    QTreeWidget { background: transparent; border: none; outline: 0; }
    QTreeWidget::item { padding: 2px 0; color: @ink; }
    QTreeWidget::item:selected { background: @selection; color: @ink; }
    QToolButton[chip="true"] { border-radius: 9px; padding: 1px 8px; color: @muted; background: transparent; }
    QToolButton[chip="true"]:checked { color: @ink; background: @wash; }
    QToolButton[chip="true"]:focus { border-color: @address; }
    QPushButton[pill="true"] { border-radius: 9px; padding: 2px 10px; color: @muted; background: transparent; }
    QPushButton[pill="true"]:checked { color: @ink; background: @selection; border-color: @selection; }
    QPushButton[pill="true"]:focus { border-color: @address; }
    QHeaderView { background: @ground; border: none; border-bottom: 1px solid @rule; }
    QHeaderView::section { background: @ground; color: @muted; border: none; border-bottom: 1px solid @rule; padding: 0 8px; }
    QHeaderView::section:first { padding-left: 24px; }
    QListWidget, QTableWidget { background: @panel; border: 1px solid @rule; border-radius: 4px; color: @ink; outline: 0; }
    QToolButton::menu-indicator { image: none; }
    QToolButton[popupMode="1"] { padding-right: 26px; }
    QToolButton::menu-button { border: none; border-left: 1px solid @rule; width: 20px; }
    QToolButton::menu-arrow { width: 0; height: 0; border-left: 4px solid @panel; border-right: 4px solid @panel; border-top: 5px solid @muted; }
    QLineEdit, QComboBox, QPlainTextEdit { background: @panel; border: 1px solid @rule; border-radius: 4px; padding: 2px 6px; color: @ink; }
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus { border-color: @address; }
    QLineEdit[wrong="true"], QComboBox[wrong="true"] { border-color: @fault; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox::down-arrow { width: 0; height: 0; border-left: 4px solid @panel; border-right: 4px solid @panel; border-top: 5px solid @muted; }
    QComboBox QAbstractItemView { background: @panel; color: @ink; border: 1px solid @rule; selection-background-color: @selection; selection-color: @ink; }
    QFileDialog QToolButton { padding: 2px; }
    QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
    QMenu { background: @panel; border: 1px solid @rule; padding: 4px; }
    QMenu::item { padding: 4px 20px; color: @ink; }
    QMenu::item:selected { background: @selection; }
    QMenu::item:disabled { color: @muted; }
    QToolTip { background: @panel; color: @ink; border: 1px solid @rule; padding: 3px; }
    QSplitter::handle { background: @rule; }
    QScrollArea { background: transparent; border: none; }
    QAbstractScrollArea::corner { background: transparent; border: none; }
    QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
    QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
    QScrollBar::handle { background: @rule; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }
    QScrollBar::handle:hover { background: @muted; }
    QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
    QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
    QProgressBar { background: @wash; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }
    QProgressBar::chunk { background: @address; border-radius: 3px; }
  )");
  const std::array<std::pair<const char*, QColor>, 9> colours{{{"@ground", m_palette.ground},
                                                               {"@panel", m_palette.panel},
                                                               {"@rule", m_palette.rule},
                                                               {"@wash", m_palette.wash},
                                                               {"@ink", m_palette.ink},
                                                               {"@muted", m_palette.muted},
                                                               {"@address", m_palette.address},
                                                               {"@fault", m_palette.fault},
                                                               {"@selection", m_palette.selection}}};
  for (const auto& [name, colour] : colours)
    sheet.replace(QLatin1String(name), colour.name());
  if (m_scale == 1.0)
    return sheet;
  // Lengths grow with the text; a hairline stays one.
  static const QRegularExpression kLength(QStringLiteral("\\b([2-9]|[1-9]\\d+)px"));
  QString grown;
  qsizetype from = 0;
  for (auto match = kLength.globalMatch(sheet); match.hasNext();) {
    const QRegularExpressionMatch length = match.next();
    grown += QStringView(sheet).mid(from, length.capturedStart() - from);
    grown += QString::number(px(length.captured(1).toInt())) + QStringLiteral("px");
    from = length.capturedEnd();
  }
  grown += QStringView(sheet).mid(from);
  return grown;
}

QColor Theme::roleColour(Role role) const
{
  switch (role) {
    case Role::Address:
      return m_palette.address;
    case Role::Data:
      return m_palette.payload;
    case Role::Start:
    case Role::Stop:
    case Role::Direction:
    case Role::Control:
    case Role::Length:
    case Role::Delimiter:
      return m_palette.control;
    case Role::Acknowledge:
    case Role::Parity:
    case Role::Check:
      return m_palette.check;
    case Role::Stuff:
      return m_palette.muted;
    case Role::Flag:
      return m_palette.fault;
  }
  return m_palette.ink;
}

QColor Theme::toneColour(Tone tone) const
{
  switch (tone) {
    case Tone::Plain:
      return m_palette.ink;
    case Tone::Address:
      return m_palette.address;
    case Tone::Payload:
      return m_palette.payload;
    case Tone::Fault:
      return m_palette.fault;
    case Tone::Device:
      return m_palette.device;
  }
  return m_palette.ink;
}

QFont Theme::words(int pixels, bool bold) const
{
  QFont font(QStringLiteral("Inter"));
  font.setPixelSize(px(pixels));
  font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
  font.setStyleHint(QFont::SansSerif);
  return font;
}

QFont Theme::data(int pixels, bool bold) const
{
  QFont font(QStringLiteral("JetBrains Mono"));
  font.setPixelSize(px(pixels));
  font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
  font.setStyleHint(QFont::Monospace);
  // Ligatures would draw "->" and "==" of somebody's payload as something else; without shaping there are none.
  font.setStyleStrategy(QFont::PreferNoShaping);
  return font;
}

Theme& theme()
{
  static auto* const kTheme = new Theme;  // outlives every widget
  return *kTheme;
}

int px(int atDesign)
{
  return static_cast<int>(std::lround(atDesign * theme().scale()));
}

double px(double atDesign)
{
  return atDesign * theme().scale();
}

void setType(QWidget& widget, Face face, int pixels, bool bold)
{
  sized(widget, [&widget, face, pixels, bold] {
    widget.setFont(face == Face::Words ? theme().words(pixels, bold) : theme().data(pixels, bold));
  });
}

void setInk(QWidget& label, Ink ink)
{
  label.setForegroundRole(ink == Ink::Muted     ? QPalette::PlaceholderText
                          : ink == Ink::Address ? QPalette::Link
                          : ink == Ink::Fault   ? QPalette::LinkVisited
                          : ink == Ink::Device  ? QPalette::BrightText
                                                : QPalette::WindowText);
}

QColor tint(QColor colour, int percent)
{
  colour.setAlphaF(static_cast<float>(percent) / 100.0F);
  return colour;
}

}  // namespace bexto::ui
