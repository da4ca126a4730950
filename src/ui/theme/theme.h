#pragma once

#include <QColor>
#include <QFont>
#include <QObject>
#include <QString>

#include "core/decode/anatomy.h"
#include "core/decode/sentence.h"
#include "ui/text/text.h"

class QWidget;

namespace bexto::ui {

/// Paper and ink: every colour has one role, and no other part of the window names a colour.
struct Palette {
  QColor ground, panel, rule, wash;
  QColor ink, muted;
  QColor address, payload, control, check;
  QColor fault, device;
  QColor selection;
};

enum class ThemeMode { System, Light, Dark };

/// What a desktop asks of its programs.
struct DesktopLook {
  bool dark = false;
  bool highContrast = false;
  double textPixels = 0.0;  ///< height of its usual text on a screen of usual density; 0: it does not say
  bool operator==(const DesktopLook&) const = default;
};

/// Words are set in one face, data in another, in which all digits have one width.
enum class Face { Words, Data };

/// The colours and fonts of the whole window. UI thread only; one object, `theme()`.
class Theme : public QObject {
  Q_OBJECT
 public:
  Theme();

  const Palette& colours() const { return m_palette; }
  bool isDark() const { return m_dark; }
  ThemeMode mode() const { return m_mode; }
  /// Sets palette, style sheet and fonts of the application. Emits changed(), and before it resized() when text has
  /// another size than before.
  void apply(ThemeMode mode);
  /// The desktop asks for this from now on.
  void follow(const DesktopLook& desktop);
  /// Strong contrast whatever the desktop asks for: text 7 : 1 (WCAG 2.1, 1.4.6), lines 3 : 1 (1.4.11).
  void setHighContrast(bool wanted);
  bool isHighContrast() const { return m_highContrast || m_desktop.highContrast; }
  /// The size of text in percent of the design's, 100 to 250; 0: as the desktop asks.
  void setTextSize(int percent);
  int textSize() const { return m_textSize; }

  /// How many times the size of the design text and all that goes with it have.
  double scale() const { return m_scale; }
  /// The length of the design that is `pixels` on this screen: what px() made longer.
  int atDesign(int pixels) const;

  QColor roleColour(Role role) const;
  QColor toneColour(Tone tone) const;

  // `pixels` are those of the design.
  QFont words(int pixels = 13, bool bold = false) const;  ///< Inter
  QFont data(int pixels = 12, bool bold = false) const;   ///< JetBrains Mono

 Q_SIGNALS:
  void resized();  ///< before changed()
  void changed();

 private:
  void dress();
  QString styleSheet() const;

  Palette m_palette;
  ThemeMode m_mode = ThemeMode::System;
  DesktopLook m_desktop;
  bool m_dark = false;
  bool m_highContrast = false;
  int m_textSize = 0;
  double m_scale = 1.0;
};

Theme& theme();

/// A length of the design in pixels of this screen at the size of text that is set; whole ones for an int.
int px(int atDesign);
double px(double atDesign);

/// Gives a widget its type, now and whenever the size of text changes. `pixels` are those of the design.
void setType(QWidget& widget, Face face, int pixels, bool bold = false);

/// Does what gives `owner` its size, now and whenever the size of text changes.
template <typename Give>
void sized(QObject& owner, Give give)
{
  give();
  QObject::connect(&theme(), &Theme::resized, &owner, give);
}

/// What the text of a label is written in. It is a role of the palette, so another look needs no telling.
enum class Ink { Plain, Muted, Address, Fault, Device };
void setInk(QWidget& label, Ink ink);

/// `colour` thinned to so many percent, for tints behind text.
QColor tint(QColor colour, int percent);

}  // namespace bexto::ui
