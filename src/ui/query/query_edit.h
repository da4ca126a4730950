#pragma once

#include <QLineEdit>
#include <QPointer>

#include "core/query/complete.h"
#include "ui/query/lookup.h"

class QListWidget;

namespace bexto::ui {

/// What occurs in the engine's traffic, counted in the background when somebody starts to type.
class Occurrences : public QObject {
  Q_OBJECT
 public:
  explicit Occurrences(Engine& engine, QObject* parent = nullptr);
  const Occurring& known() const { return m_known; }
  void refresh();

 Q_SIGNALS:
  void changed();

 private:
  Engine& m_engine;
  Occurring m_known;
  bool m_stale = true;
  std::unique_ptr<Job> m_job;
};

/// A line in which a query is typed: offers what fits at the cursor, and underlines a mistake at its place.
///
/// Down and Up choose among what is offered, Tab takes it; Return is done; Escape first closes the offer, then leaves.
class QueryEdit : public QLineEdit {
  Q_OBJECT
 public:
  QueryEdit(Lookup& lookup, Occurrences& occurrences, QWidget* parent = nullptr);
  ~QueryEdit() override;

  /// What is offered now; empty when nothing is shown.
  QStringList offered() const;
  /// The mistake is a word that is still being typed: there are words that begin so.
  bool isUnfinished() const;
  /// Where a mistake is underlined, in this widget; empty when there is none.
  QRect mistakeRect() const;

 Q_SIGNALS:
  void done(bool backwards);  ///< Return, with Shift backwards
  void left();
  void offerChanged();

 protected:
  bool event(QEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void paintEvent(QPaintEvent* event) override;

 private:
  void offer();
  void offerForTyping();
  void closeOffer();
  void take(int row);

  Lookup& m_lookup;
  Occurrences& m_occurrences;
  QPointer<QListWidget> m_list;  ///< a child of the window, so that it can stand over other parts
  Completions m_completions;
  bool m_waiting = false;  ///< nothing could be offered, but values may still be counted
};

}  // namespace bexto::ui
