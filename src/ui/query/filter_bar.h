#pragma once

#include <QWidget>

#include "ui/query/query_edit.h"

class QHBoxLayout;
class QLabel;
class QScrollArea;
class QToolButton;

namespace bexto::ui {

/// The filter line and the search, side by side; below them, when there is something to say, the filter's terms as
/// chips that can be switched off, what the filter means or what is wrong with it, and how the search stands.
class FilterBar : public QWidget {
  Q_OBJECT
 public:
  FilterBar(Engine& engine, Lookup& filter, Lookup& search, QWidget* parent = nullptr);

  QueryEdit& filterEdit() { return *m_filterEdit; }
  QueryEdit& searchEdit() { return *m_searchEdit; }
  /// Adds a term to the filter, or its opposite.
  void addTerm(const QString& term, bool hide);
  /// "3 of 120", "went on from the begin": beside the search.
  void setSearchNote(const QString& note);
  QString explanation() const;
  const QList<QToolButton*>& chips() const { return m_chips; }
  /// Filters used before, the latest first.
  static QStringList history();

 Q_SIGNALS:
  void nextWanted(bool forward);
  void listWanted();

 private:
  void refresh();
  void remember();

  Lookup& m_filter;
  Lookup& m_search;
  Occurrences* m_occurrences;
  QueryEdit* m_filterEdit;
  QueryEdit* m_searchEdit;
  QWidget* m_below;
  QScrollArea* m_chipBox;
  QHBoxLayout* m_chipRow;
  QLabel* m_says;
  QLabel* m_searchSays;
  QList<QToolButton*> m_chips;
  QString m_note;
};

}  // namespace bexto::ui
