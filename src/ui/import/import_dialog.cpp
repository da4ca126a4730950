// Tested by tests/ui/import_test.cpp.
#include "ui/import/import_dialog.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "ui/import/rows_page.h"
#include "ui/import/samples_page.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

ImportDialog::ImportDialog(const HowToRead& question, const ReadHints& before, QWidget* parent) : QDialog(parent)
{
  setObjectName(QStringLiteral("import"));
  const QString name = QFileInfo(question.path).fileName();
  setWindowTitle(tr("How is %1 to be read?").arg(name));
  const bool rows = question.asks == CaptureFormat::Asks::Layout;
  if (rows)
    m_page = new RowsPage(question.begin);
  else
    m_page = new SamplesPage(question.path, before);
  auto* title = new QLabel(rows ? tr("%1 holds rows of text. This is how they are understood.").arg(name)
                                : tr("%1 holds packed samples and says nothing of them.").arg(name));
  title->setTextFormat(Qt::PlainText);
  title->setWordWrap(true);
  setType(*title, Face::Words, 15, true);
  m_outcome = new QLabel;
  m_outcome->setObjectName(QStringLiteral("outcome"));
  m_outcome->setTextFormat(Qt::PlainText);
  m_outcome->setWordWrap(true);
  sized(*m_outcome, [this] { m_outcome->setMinimumHeight(px(36)); });
  m_read = new QPushButton(tr("Open it so"));
  m_read->setProperty("primary", true);
  m_read->setObjectName(QStringLiteral("read"));
  m_read->setDefault(true);
  auto* cancel = new QPushButton(tr("Leave it"));
  cancel->setObjectName(QStringLiteral("leave"));
  connect(m_read, &QPushButton::clicked, this, &QDialog::accept);
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(m_page, &ImportPage::changed, this, &ImportDialog::update);
  auto* buttons = new QHBoxLayout;
  buttons->addWidget(m_outcome, 1);
  buttons->addWidget(cancel);
  buttons->addWidget(m_read);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 16, 20, 16);
  column->setSpacing(12);
  column->addWidget(title);
  column->addWidget(m_page, 1);
  column->addLayout(buttons);
  if (rows)
    resize(px(760), px(520));
  else
    resize(px(520), px(220));
  update();
}

void ImportDialog::update()
{
  const QString problem = m_page->problem();
  m_read->setEnabled(problem.isEmpty());
  m_outcome->setText(problem.isEmpty() ? m_page->outcome() : QStringLiteral("▲ ") + problem);
  setInk(*m_outcome, problem.isEmpty() ? Ink::Muted : Ink::Fault);
}

}  // namespace bexto::ui
