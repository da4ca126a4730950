// A key press that is a shortcut is first offered to the widget that has the keyboard, as a ShortcutOverride: who
// accepts that gets it as a key. The views that are painted by hand take no letters, so for them shortcuts stay
// shortcuts.
//
// Tested by tests/ui/keys_test.cpp.
#include "ui/window/typing_guard.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>

namespace bexto::ui {

namespace {

bool isTyped(const QKeyEvent& key)
{
  const Qt::KeyboardModifiers others = key.modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier);
  return others == Qt::NoModifier && !key.text().isEmpty() && key.text().at(0).isPrint();
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
  const bool types =
      qobject_cast<QComboBox*>(watched) != nullptr || qobject_cast<QAbstractItemView*>(watched) != nullptr;
  const bool presses = qobject_cast<QAbstractButton*>(watched) != nullptr && key.key() == Qt::Key_Space;
  if (presses || (types && isTyped(key)))
    event->accept();
  return false;
}

}  // namespace bexto::ui
