#include "ui/access/spoken.h"

#include <QAccessibleWidget>
#include <QWidget>

namespace bexto::ui {

namespace {

constexpr const char* kAlert = "spokenAlert";

class ButtonAccess final : public QAccessibleWidget {
 public:
  ButtonAccess(QWidget* widget, SpokenButton& button) : QAccessibleWidget(widget, QAccessible::Button), m_button(button)
  {
  }

  QAccessible::State state() const override
  {
    QAccessible::State state = QAccessibleWidget::state();
    state.expandable = true;
    state.expanded = m_button.isSpokenOpen();
    state.collapsed = !m_button.isSpokenOpen();
    return state;
  }
  QStringList actionNames() const override { return {pressAction(), setFocusAction()}; }
  void doAction(const QString& name) override
  {
    if (name == pressAction())
      m_button.pressSpoken();
    else
      QAccessibleWidget::doAction(name);
  }

 private:
  SpokenButton& m_button;
};

QAccessibleInterface* spokenAccess(const QString& /*className*/, QObject* object)
{
  auto* const widget = qobject_cast<QWidget*>(object);
  auto* const button = dynamic_cast<SpokenButton*>(object);
  if (widget != nullptr && object->property(kAlert).toBool())
    return new QAccessibleWidget(widget, QAccessible::AlertMessage);
  return widget != nullptr && button != nullptr ? new ButtonAccess(widget, *button) : nullptr;
}

}  // namespace

void announceSpokenButtons()
{
  static const bool kOnce = [] {
    QAccessible::installFactory(spokenAccess);
    return true;
  }();
  static_cast<void>(kOnce);
}

void makeAlert(QWidget& where)
{
  where.setProperty(kAlert, true);
}

void sayAlert(QWidget& where)
{
  if (!QAccessible::isActive())
    return;
  QAccessibleEvent event(&where, QAccessible::Alert);
  QAccessible::updateAccessibility(&event);
}

}  // namespace bexto::ui
