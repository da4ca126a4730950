#include "ui/window/start_page.h"

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "ui/theme/theme.h"

namespace bexto::ui {

StartPage::StartPage(QWidget* parent) : QWidget(parent)
{
  auto* column = new QVBoxLayout(this);
  column->setSpacing(12);
  auto* title = new QLabel(tr("What did the two ends say to each other?"));
  setType(*title, Face::Words, 20, true);
  title->setAlignment(Qt::AlignCenter);
  auto* text = new QLabel(
      tr("Open a capture, or drop one here. Bexto reads value change dumps (.vcd, .vcd.gz) as simulators and "
         "instruments write them."));
  text->setAlignment(Qt::AlignCenter);
  text->setWordWrap(true);
  auto* open = new QPushButton(tr("Open a capture …"));
  open->setProperty("primary", true);
  open->setObjectName(QStringLiteral("startOpen"));
  connect(open, &QPushButton::clicked, this, &StartPage::openWanted);
  column->addStretch(2);
  column->addWidget(title);
  column->addWidget(text);
  column->addWidget(open, 0, Qt::AlignCenter);
  column->addStretch(3);
}

}  // namespace bexto::ui
