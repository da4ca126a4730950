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

/// The colours and fonts of the whole window. UI thread only; one object, `theme()`.
class Theme : public QObject {
  Q_OBJECT
 public:
  Theme();

  const Palette& colours() const { return m_palette; }
  bool isDark() const { return m_dark; }
  ThemeMode mode() const { return m_mode; }
  /// Sets palette, style sheet and fonts of the application. Emits changed().
  void apply(ThemeMode mode);

  QColor roleColour(Role role) const;
  QColor toneColour(Tone tone) const;

  QFont words(int pixels = 13, bool bold = false) const;  ///< Inter
  QFont data(int pixels = 12, bool bold = false) const;   ///< JetBrains Mono

 Q_SIGNALS:
  void changed();

 private:
  QString styleSheet() const;

  Palette m_palette;
  ThemeMode m_mode = ThemeMode::System;
  bool m_dark = false;
};

Theme& theme();

/// What the text of a label is written in. It is a role of the palette, so another look needs no telling.
enum class Ink { Plain, Muted, Address, Fault };
void setInk(QWidget& label, Ink ink);

/// `colour` thinned to so many percent, for tints behind text.
QColor tint(QColor colour, int percent);

}  // namespace bexto::ui
