#pragma once

#include <QCoreApplication>
#include <QPainter>

#include "ui/ledger/ledger_header.h"
#include "ui/ledger/ledger_view.h"

namespace bexto::ui {

/// Paints the lines of a Ledger. Lives for one paint.
class LedgerPainter {
  Q_DECLARE_TR_FUNCTIONS(LedgerPainter)

 public:
  struct Look {
    int decimals = 6;  ///< of times
    TimeZero zeroMode = TimeZero::Start;
    Picoseconds zero{0};
    bool current = false;  ///< the line that the keyboard is on
    bool picked = false;   ///< among those picked
    bool focus = false;
    bool found = false;  ///< the search found it
    bool ours = false;   ///< it was sent from here
    QStringList notes;   ///< pinned to it
    QString marker;      ///< name of the markers that stand before it
    Picoseconds gap{0};  ///< nothing was recorded for so long before it
  };

  LedgerPainter(QPainter& painter, const LedgerHeader& header, const LedgerRows& rows)
      : m_p(painter), m_header(header), m_rows(rows)
  {
  }
  /// What the column of what was said needs to be of use.
  static int leastWidth(const LedgerLines& lines);
  void paint(QRect rect, const LedgerRows::Line& line, const Look& look);

 private:
  void paintCell(LedgerColumn column, QRect cell, const LedgerRows::Line& line, const Look& look);
  void paintFlag(QRect rect, const QString& says, const QColor& colour);
  void paintTime(QRect cell, const LedgerRows::Line& line, const Look& look);
  void paintSentence(QRect cell, const LedgerRows::Line& line, const Look& look);
  void paintDetail(QRect cell, const LedgerRows::Line& line);
  void paintBytes(QRect cell, const LedgerRows::Line& line);
  int paintOurs(QRect room);
  void paintNotes(QRect room, const QStringList& notes);
  void text(QRect cell, const QString& text, bool data, const QColor& colour, bool right = false);

  QPainter& m_p;
  const LedgerHeader& m_header;
  const LedgerRows& m_rows;
};

}  // namespace bexto::ui
