#pragma once

#include <QAbstractItemModel>
#include <QContextMenuEvent>
#include <QDir>
#include <QRegularExpression>
#include <QTimer>
#include <QToolTip>

#include "support/checks.h"
#include "support/kept_text.h"
#include "support/window_fixture.h"
#include "support/window_record.h"
#include "ui/job/job.h"
#include "ui/verdicts/verdicts.h"

namespace bexto::test {

/// A walk through the window whose every step is compared with what is on record in tests/data/window: what the window
/// shows at first, then what each step changed. With BEXTO_RECORD=1 in the environment records are written anew
/// instead; look at what `git diff` says of them, and keep what was meant.
class OnRecord : public WindowTest {
 protected:
  void TearDown() override
  {
    if (!HasFatalFailure())
      compare();
    WindowTest::TearDown();
  }

  /// The lock cycle with all its buses, their devices and what they are judged by.
  void openFullDemo()
  {
    engine().setCapture(std::make_shared<const Capture>(cycle().capture), QStringLiteral("lock-cycle.vcd"));
    for (const std::string& spec : rig::lockCycleBuses())
      session().addBus(lockCycleBus(parseBusSpec(spec)->name));
    ASSERT_TRUE(waitIdle());
  }

  /// Until nothing moves any more.
  void settle()
  {
    QStringList last;
    ASSERT_TRUE(waitFor(
        [&] {
          QTest::qWait(30);
          if (ui::Job::anyAtWork() || engine().isOpening() || engine().isDecoding() || window().verdicts().isBusy()) {
            last.clear();  // what the work found is still to be told
            return false;
          }
          QStringList now = current();
          const bool same = now == last;
          last = std::move(now);
          return same;
        },
        60000));
  }
  /// Picks a transaction and brings it into view.
  void select(int bus, std::uint64_t transaction)
  {
    focus().select({streamId(bus, 0), transactionsOf(bus).framesOf(transaction).first});
    focus().reveal(focus().selectedTime());
  }
  /// What is looked at: the window, unless said otherwise.
  void lookAt(QWidget& widget)
  {
    m_root = &widget;
    m_before.clear();
  }
  /// Puts down what is shown, all of it.
  void whole(const QString& name)
  {
    settle();
    m_before = current();
    m_lines << QStringLiteral("== ") + name;
    m_lines += m_before;
  }
  /// Does something and puts down what it changed.
  void step(const QString& name, const std::function<void()>& act)
  {
    if (m_before.isEmpty()) {
      settle();
      m_before = current();
    }
    act();
    settle();
    const QStringList now = current();
    m_lines << QStringLiteral("== ") + name;
    m_lines += withoutIndent(changesBetween(m_before, now));
    m_before = now;
  }
  /// The same for steps that change much: a few of the changes, and a sum of all.
  void briefly(const QString& name, const std::function<void()>& act)
  {
    constexpr qsizetype kMost = 10;
    const qsizetype begin = m_lines.size() + 1;
    step(name, act);
    const QStringList changes = m_lines.mid(begin);
    if (changes.size() <= kMost)
      return;
    m_lines = m_lines.mid(0, begin) + changes.mid(0, kMost);
    m_lines << QStringLiteral("… of %1 (%2)").arg(changes.size()).arg(sumOf(changes.join(QLatin1Char('|')).toUtf8()));
  }
  /// One key after the other, of the widget that has the keyboard.
  void keys(const QString& name, std::initializer_list<QKeyCombination> all)
  {
    step(name, [&] {
      for (const QKeyCombination key : all)
        QTest::keyClick(keyboard(), key.key(), key.keyboardModifiers());
    });
  }
  void click(const QString& name, QWidget& on, QPoint at, Qt::KeyboardModifiers with = {})
  {
    step(name, [&] { QTest::mouseClick(&on, Qt::LeftButton, with, at); });
  }
  /// From one place to another, by way of the middle.
  void drag(const QString& name, QWidget& on, QPoint from, QPoint to, Qt::KeyboardModifiers with = {})
  {
    step(name, [&] {
      QTest::mousePress(&on, Qt::LeftButton, with, from);
      moveTo(on, (from + to) / 2, Qt::LeftButton);
      m_lines << QStringLiteral("== ") + name + QStringLiteral(", halfway");
      m_lines += withoutIndent(changesBetween(m_before, current()));
      moveTo(on, to, Qt::LeftButton);
      QTest::mouseRelease(&on, Qt::LeftButton, with, to);
    });
  }
  void hover(const QString& name, QWidget& on, QPoint at)
  {
    step(name, [&] { moveTo(on, at, Qt::NoButton); });
  }
  void wheel(const QString& name, QWidget& on, QPoint at, QPoint by, Qt::KeyboardModifiers with = {})
  {
    step(name, [&] {
      QWheelEvent event(at, on.mapToGlobal(at), {}, by, Qt::NoButton, with, Qt::NoScrollPhase, false);
      QApplication::sendEvent(&on, &event);
    });
  }
  /// What the menu offers that opens at that place; `pick`: the entry that is then taken.
  void menu(const QString& name, QWidget& on, QPoint at, const QString& pick = {})
  {
    step(name, [&] {
      bool seen = false;
      QTimer::singleShot(0, &on, [&] {
        auto* const open = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        seen = open != nullptr;
        if (!seen)
          return;
        m_lines << QStringLiteral("== ") + name + QStringLiteral(": the menu");
        addActions(open->actions(), 0, m_lines);
        QAction* const action = pick.isEmpty() ? nullptr : actionOf(open->actions(), pick);
        EXPECT_EQ(action != nullptr, !pick.isEmpty()) << pick.toStdString();
        open->close();
        if (action != nullptr)
          action->trigger();
      });
      QContextMenuEvent event(QContextMenuEvent::Mouse, at, on.mapToGlobal(at));
      QApplication::sendEvent(&on, &event);
      QTest::qWait(1);
      EXPECT_TRUE(seen);
      takeKeyboardBack();
      leave(on);
    });
  }
  /// The pointer is no longer there.
  static void leave(QWidget& widget)
  {
    QEvent event(QEvent::Leave);
    QApplication::sendEvent(&widget, &event);
  }
  /// What is said when the pointer rests there.
  void rest(const QString& name, QWidget& on, QPoint at)
  {
    QToolTip::hideText();
    QHelpEvent event(QEvent::ToolTip, at, on.mapToGlobal(at));
    QApplication::sendEvent(&on, &event);
    m_lines << QStringLiteral("== ") + name << inOneLine(QToolTip::text());
    QToolTip::hideText();
  }
  void put(const QString& line) { m_lines << line; }
  /// What a list would show, beyond what is in view: texts with colours, and tips.
  void putRows(const QAbstractItemModel& model, const QModelIndex& parent = {}, int depth = 0)
  {
    for (int row = 0; row < std::min(model.rowCount(parent), 16); ++row) {
      QStringList cells;
      for (int column = 0; column < model.columnCount(parent); ++column) {
        const QModelIndex cell = model.index(row, column, parent);
        QString text = cell.data().toString();
        if (const QVariant ink = cell.data(Qt::ForegroundRole); ink.isValid())
          text += QLatin1Char(' ') + nameOfColour(ink.value<QBrush>().color());
        if (const QVariant font = cell.data(Qt::FontRole); font.isValid())
          text += font.value<QFont>().bold() ? QStringLiteral(" bold") : QStringLiteral(" plain");
        if (const QString tip = cell.data(Qt::ToolTipRole).toString(); !tip.isEmpty())
          text += tip == cell.data().toString() ? QStringLiteral(" tip") : QStringLiteral(" tip ") + tip;
        if (const QString spoken = cell.data(Qt::AccessibleTextRole).toString(); !spoken.isEmpty())
          text += QStringLiteral(" spoken ") + spoken;
        cells << text;
      }
      m_lines << inOneLine(QString(2 * depth, QLatin1Char(' ')) + cells.join(QStringLiteral(" | ")));
      putRows(model, model.index(row, 0, parent), depth + 1);
    }
  }
  /// A dialog that `open` shows, as soon as it is there, and then `act` in it; it is closed if it is still open.
  void dialog(const QString& name, const std::function<void()>& open, const std::function<void(QWidget&)>& act = {})
  {
    bool seen = false;
    step(name + QStringLiteral(": after"), [&] {
      QTimer::singleShot(30, &window(), [&] {
        QWidget* const shown = QApplication::activeModalWidget();
        seen = shown != nullptr;
        if (!seen)
          return;
        waitFor(
            [&] { return QApplication::focusWidget() != nullptr && shown->isAncestorOf(QApplication::focusWidget()); },
            1000);
        m_lines << QStringLiteral("== ") + name << QStringLiteral("title \"%1\"").arg(shown->windowTitle());
        m_lines += recordOf(*shown);
        if (act)
          act(*shown);
        if (QApplication::activeModalWidget() == shown)
          shown->close();
      });
      open();
      waitFor([&] { return seen; }, 500);
      takeKeyboardBack();
    });
    EXPECT_TRUE(seen) << name.toStdString();
  }

  static void moveTo(QWidget& on, QPoint at, Qt::MouseButton button)
  {
    QMouseEvent event(QEvent::MouseMove, at, on.mapToGlobal(at), Qt::NoButton, button, {});
    QApplication::sendEvent(&on, &event);
  }
  QWidget* keyboard()
  {
    QWidget* const has = QApplication::focusWidget();
    return has != nullptr ? has : &window();
  }

 private:
  /// A screen that nobody sees gives it to nobody when a menu or a dialog closes.
  void takeKeyboardBack()
  {
    window().activateWindow();
    QApplication::setActiveWindow(&window());
    QTest::qWait(20);
  }
  static QStringList withoutIndent(QStringList changes)
  {
    for (QString& change : changes)
      change = change.left(2) + change.mid(2).trimmed();
    return changes;
  }
  static QAction* actionOf(const QList<QAction*>& actions, const QString& text)
  {
    for (QAction* const action : actions) {
      if (action->text().startsWith(text))
        return action;
      if (action->menu() != nullptr) {
        if (QAction* const inside = actionOf(action->menu()->actions(), text))
          return inside;
      }
    }
    return nullptr;
  }
  QStringList current()
  {
    QWidget& root = m_root != nullptr ? *m_root : window();
    return QStringList{QStringLiteral("title \"%1\"").arg(root.window()->windowTitle())} + recordOf(root);
  }
  void compare()
  {
    const auto* const info = testing::UnitTest::GetInstance()->current_test_info();
    // Folders that are others in each run.
    m_lines.replaceInStrings(QRegularExpression(QDir::tempPath() + QStringLiteral("/[\\w-]+")),
                             QStringLiteral("(temp)"));
    expectKept(std::string("window/") + info->name() + ".txt",
               (m_lines.join(QLatin1Char('\n')) + QLatin1Char('\n')).toStdString());
  }

  QWidget* m_root = nullptr;
  QStringList m_before;
  QStringList m_lines;
};

}  // namespace bexto::test
