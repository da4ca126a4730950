#pragma once

#include <QApplication>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QTimer>
#include <QtTest/QTest>
#include <functional>

namespace bexto::test {

/// Whoever opens a dialog often waits until it is left: so it is answered from the event loop. `answer` has to leave
/// it. Whether such a dialog came; one of another kind is closed after five seconds, so that nothing waits for ever.
template <typename Dialog>
bool answered(const std::function<void()>& ask, const std::function<void(Dialog&)>& answer)
{
  bool came = false;
  QElapsedTimer since;
  since.start();
  QTimer timer;
  QObject::connect(&timer, &QTimer::timeout, &timer, [&] {
    QWidget* const modal = QApplication::activeModalWidget();
    auto* const dialog = qobject_cast<Dialog*>(modal);
    if (dialog != nullptr && !came) {
      came = true;
      answer(*dialog);
    } else if (modal != nullptr && since.elapsed() > 5000) {
      modal->close();
    }
  });
  timer.start(20);
  ask();
  return QTest::qWaitFor([&] { return came; }, 5000);
}

/// Types a name into a file dialog and accepts it.
inline void chooseFile(QFileDialog& dialog, const QString& path)
{
  dialog.findChild<QLineEdit*>(QStringLiteral("fileNameEdit"))->setText(path);
  static_cast<QDialog&>(dialog).accept();
}

/// Picks the entry of that text in the menu that `ask` opens. Whether it was there.
inline bool pickedFromMenu(const std::function<void()>& ask, const QString& text)
{
  bool picked = false;
  QTimer::singleShot(100, qApp, [&] {
    auto* const menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    if (menu == nullptr)
      return;
    QAction* found = nullptr;
    for (QAction* const action : menu->actions())
      found = action->text() == text ? action : found;
    menu->close();
    if (found != nullptr) {
      picked = true;
      found->trigger();
    }
  });
  ask();
  return QTest::qWaitFor([&] { return picked; }, 500);
}

}  // namespace bexto::test
