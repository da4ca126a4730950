// Tested by tests/ui/keeper_test.cpp.
#include "ui/window/session_dialog.h"

#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

SessionDialog::SessionDialog(const About& about, const QString& facts, QWidget* parent)
    : QDialog(parent), m_title(new QLineEdit), m_author(new QLineEdit), m_description(new QPlainTextEdit)
{
  setObjectName(QStringLiteral("session"));
  setWindowTitle(tr("About this session"));
  m_title->setObjectName(QStringLiteral("title"));
  m_title->setText(toQString(about.title));
  m_author->setObjectName(QStringLiteral("author"));
  m_author->setText(toQString(about.author));
  m_description->setObjectName(QStringLiteral("description"));
  m_description->setAccessibleName(tr("Description"));
  m_description->setTabChangesFocus(true);
  m_description->setPlainText(toQString(about.description));
  auto* form = new QFormLayout;
  form->addRow(tr("Title"), m_title);
  form->addRow(tr("Author"), m_author);
  form->addRow(tr("Description"), m_description);
  auto* known = new QLabel(facts);
  known->setTextFormat(Qt::PlainText);
  known->setWordWrap(true);
  known->setTextInteractionFlags(Qt::TextSelectableByMouse);
  setInk(*known, Ink::Muted);
  auto* keep = new QPushButton(tr("Keep it"));
  keep->setProperty("primary", true);
  keep->setObjectName(QStringLiteral("keep"));
  keep->setDefault(true);
  auto* leave = new QPushButton(tr("Leave it"));
  connect(keep, &QPushButton::clicked, this, &QDialog::accept);
  connect(leave, &QPushButton::clicked, this, &QDialog::reject);
  auto* buttons = new QHBoxLayout;
  buttons->addStretch();
  buttons->addWidget(leave);
  buttons->addWidget(keep);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 16, 20, 16);
  column->setSpacing(12);
  column->addLayout(form, 1);
  column->addWidget(known);
  column->addLayout(buttons);
  resize(px(560), px(360));
}

About SessionDialog::about() const
{
  return {m_title->text().trimmed().toStdString(), m_description->toPlainText().trimmed().toStdString(),
          m_author->text().trimmed().toStdString()};
}

}  // namespace bexto::ui
