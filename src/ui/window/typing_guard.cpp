// A key press that is a shortcut is first offered to the widget that has the keyboard, as a ShortcutOverride: who
// accepts that gets it as a key. The views that are painted by hand take no letters, so for them shortcuts stay
// shortcuts.
//
// Tested by tests/ui/keys_test.cpp.
#include "ui/window/typing_guard.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <algorithm>
#include <array>

namespace bexto::ui {

namespace {

bool isTyped(const QKeyEvent& key)
{
  const Qt::KeyboardModifiers others = key.modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier);
  return others == Qt::NoModifier && !key.text().isEmpty() && key.text().at(0).isPrint();
}

/// Whether it belongs to whoever edits a text, whatever else the window has it for.
bool isForEditing(const QKeyEvent& key)
{
  constexpr std::array kLetters{Qt::Key_A, Qt::Key_C, Qt::Key_V, Qt::Key_X, Qt::Key_Y, Qt::Key_Z};
  const bool letter = std::find(kLetters.begin(), kLetters.end(), key.key()) != kLetters.end();
  // Space and what is printed stand below this; arrows, Home, Delete and their like above.
  return letter || (key.key() >= Qt::Key_Escape && key.key() < Qt::Key_F1);
}

/// Whether an action of that window can be done by this key.
bool isShortcutOf(const QWidget& window, const QKeyEvent& key)
{
  const QKeySequence pressed(key.keyCombination());
  const QList<QAction*> actions = window.actions();
  return std::any_of(actions.begin(), actions.end(),
                     [&](const QAction* action) { return action->isEnabled() && action->shortcut() == pressed; });
}

}  // namespace

TypingGuard::TypingGuard(QObject* parent) : QObject(parent)
{
  qApp->installEventFilter(this);
}

bool TypingGuard::eventFilter(QObject* watched, QEvent* event)
{
  if (event->type() != QEvent::ShortcutOverride)
    return false;
  const auto& key = static_cast<const QKeyEvent&>(*event);
  // Lists that only show say so: in them a key is first what it is everywhere in the window.
  const bool types =
      qobject_cast<QComboBox*>(watched) != nullptr ||
      (qobject_cast<QAbstractItemView*>(watched) != nullptr && !watched->property("shortcutsFirst").toBool());
  const bool presses = qobject_cast<QAbstractButton*>(watched) != nullptr && key.key() == Qt::Key_Space;
  if (presses || (types && isTyped(key)))
    event->accept();
  // A line takes what its desktop has for editing: Ctrl+E for its end, Ctrl+K for the rest of it. Here these mean what
  // they mean everywhere in the window.
  const auto* const line = qobject_cast<QLineEdit*>(watched);
  if (line != nullptr && key.modifiers().testFlag(Qt::ControlModifier) && !isForEditing(key) &&
      isShortcutOf(*line->window(), key)) {
    event->ignore();
    return true;
  }
  return false;
}

}  // namespace bexto::ui
