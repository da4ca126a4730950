#pragma once

#include <QWidget>

class QStackedWidget;
class QToolButton;

namespace bexto::ui {

class BytesPage;
class LedgerArea;
struct Workspace;

/// What stands under the Timeline: the Ledger or the Bytes, one at a time.
class LowerArea : public QWidget {
  Q_OBJECT
 public:
  LowerArea(Workspace& workspace, QWidget* parent = nullptr);

  enum class Page { Ledger, Bytes };
  void showPage(Page page);
  Page page() const;
  LedgerArea& ledgers() { return *m_ledgers; }
  BytesPage& bytes() { return *m_bytes; }

 private:
  LedgerArea* m_ledgers;
  BytesPage* m_bytes;
  QStackedWidget* m_controls;
  QStackedWidget* m_pages;
  QToolButton* m_ledgerTab;
  QToolButton* m_bytesTab;
};

}  // namespace bexto::ui
