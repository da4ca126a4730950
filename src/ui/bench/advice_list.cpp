// Tested by tests/ui/bench_test.cpp.
#include "ui/bench/advice_list.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <set>

#include "ui/text/elided_label.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

using AdviceGravity = CaptureAdvice::Gravity;

/// Those of which the same is to be said.
QString aboutAll(const std::vector<CaptureAdvice>& advice, const CaptureAdvice& one)
{
  QStringList names;
  for (const CaptureAdvice& other : advice) {
    if (other.text == one.text && other.gravity == one.gravity)
      names << toQString(other.about);
  }
  return names.join(QStringLiteral(", "));
}

}  // namespace

AdviceList::AdviceList(QWidget* parent) : QWidget(parent), m_column(new QVBoxLayout(this))
{
  m_column->setContentsMargins(0, 2, 0, 0);
  m_column->setSpacing(2);
}

void AdviceList::add(AdviceGravity gravity, const QString& about, const QString& text, std::size_t line,
                     const QString& mend)
{
  auto* widget = new QWidget;
  auto* row = new QHBoxLayout(widget);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(8);
  const bool fails = gravity == AdviceGravity::Fail;
  auto* sign = new QLabel(fails                            ? QStringLiteral("▲")
                          : gravity == AdviceGravity::Warn ? QStringLiteral("△")
                                                           : QStringLiteral("✓"));
  setInk(*sign, gravity == AdviceGravity::Good ? Ink::Muted : Ink::Fault);
  setType(*sign, Face::Words, 12);
  sized(*sign, [sign] { sign->setFixedWidth(px(14)); });
  auto* name = new QLabel(about);
  name->setTextFormat(Qt::PlainText);
  setType(*name, Face::Words, 12, true);
  auto* says = new ElidedLabel;
  says->setText(text);
  says->setToolTip(text);
  setType(*says, Face::Words, 12);
  setInk(*says, fails ? Ink::Fault : gravity == AdviceGravity::Warn ? Ink::Plain : Ink::Muted);
  row->addWidget(sign);
  row->addWidget(name);
  row->addWidget(says, 1);
  if (!mend.isEmpty()) {
    auto* button = new QPushButton(mend);
    button->setProperty("pill", true);
    button->setObjectName(QStringLiteral("benchMend%1").arg(line));
    connect(button, &QPushButton::clicked, this, [this, line] { Q_EMIT taken(line); });
    row->insertWidget(2, button);
  }
  m_column->addWidget(widget);
  m_rows.push_back(widget);
}

void AdviceList::show(const std::vector<CaptureAdvice>& advice, std::size_t buses)
{
  for (QWidget* const row : m_rows) {
    row->hide();
    row->deleteLater();
  }
  m_rows.clear();
  QStringList good;
  std::set<std::string> offered;
  std::set<std::string> said;  // of several buses the same is one line
  for (const AdviceGravity gravity : {AdviceGravity::Fail, AdviceGravity::Warn, AdviceGravity::Good}) {
    for (std::size_t i = 0; i < advice.size(); ++i) {
      const CaptureAdvice& one = advice[i];
      if (one.gravity != gravity)
        continue;
      if (gravity == AdviceGravity::Good && i < buses && advice.size() > 3) {
        good << tr("%1: %2").arg(toQString(one.about), toQString(one.text));
      } else if (said.insert(one.text).second) {
        const bool mends = one.mend != CaptureAdvice::Mend::None && offered.insert(one.mendText).second;
        add(gravity, aboutAll(advice, one), toQString(one.text), i, mends ? toQString(one.mendText) : QString());
      }
    }
  }
  if (!good.isEmpty())
    add(AdviceGravity::Good,
        countOf(static_cast<std::uint64_t>(good.size()), {"{} bus is sampled well", "{} buses are sampled well"}),
        good.join(QStringLiteral(" · ")), advice.size(), {});
  if (buses == 0)
    add(AdviceGravity::Good, tr("No bus is set up yet"), tr("record once, then say which wires are which bus"),
        advice.size(), {});
}

}  // namespace bexto::ui
