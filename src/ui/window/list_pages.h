#pragma once

#include <QFont>
#include <QString>
#include <functional>

#include "core/export/ledger_export.h"

class QPrinter;

namespace bexto::ui {

/// A list as pages of paper. A value with all that it needs: made on the UI thread, painted on any.
class ListPages {
 public:
  enum class End : std::uint8_t { Whole, GivenUp, TooMany };
  /// Asked after each page, with the share of the list that is on paper.
  using GoOn = std::function<bool(int page, double done)>;

  ListPages(LedgerList list, QString title);

  /// Paints until the list ends, `goOn` says no, or kMostPages are full: more than anybody prints.
  End paintOn(QPrinter& printer, const GoOn& goOn = {}) const;
  static constexpr int kMostPages = 500;

 private:
  LedgerList m_list;
  QString m_title;
  QFont m_words;
  QFont m_data;
};

}  // namespace bexto::ui
