// Tested by tests/ui/segments_test.cpp.
#include "ui/segments/segment_row.h"

#include <QButtonGroup>
#include <QDateTime>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLocale>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>

#include "core/base/time_text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr int kHeight = 32;

QDateTime beginOf(const Segment& segment)
{
  return QDateTime::fromString(toQString(segment.startedAt), Qt::ISODate).toLocalTime();
}

/// "2 · 14:03:11 · address:2A nack"; the day only where the one before was on another.
QString pillText(const std::vector<Segment>& segments, std::size_t place)
{
  const Segment& segment = segments[place];
  QStringList parts{QString::number(place + 1)};
  const QDateTime begin = beginOf(segment);
  if (begin.isValid()) {
    const bool newDay = place > 0 && beginOf(segments[place - 1]).date() != begin.date();
    const QString time = QLocale().toString(begin.time(), QStringLiteral("HH:mm:ss"));
    parts << (newDay ? QLocale().toString(begin.date(), QLocale::ShortFormat) + QLatin1Char(' ') + time : time);
  }
  const std::string& what = segment.startedBy.empty() ? segment.name : segment.startedBy;
  if (!what.empty()) {
    constexpr qsizetype kLongest = 32;
    const QString text = toQString(what);
    parts << (text.size() > kLongest ? text.left(kLongest) + QStringLiteral(" …") : text);
  }
  return parts.join(QStringLiteral(" · "));
}

QString pillHelp(const Segment& segment)
{
  QStringList lines{toQString(segment.name)};
  if (!segment.startedBy.empty())
    lines << SegmentRow::tr("started by %1").arg(toQString(segment.startedBy));
  if (const QDateTime begin = beginOf(segment); begin.isValid())
    lines << begin.toString(QStringLiteral("yyyy-MM-dd HH:mm:ss"));
  lines << SegmentRow::tr("%1 long, from %2")
               .arg(toQString(lengthText(segment.capture->end)), toQString(segment.capture->source));
  if (!segment.whole)
    lines << SegmentRow::tr("its recording was cut off");
  return lines.join(QLatin1Char('\n'));
}

}  // namespace

SegmentRow::SegmentRow(Engine& engine, QWidget* parent) : QScrollArea(parent), m_engine(engine)
{
  setFrameShape(QFrame::NoFrame);
  setWidgetResizable(true);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setFocusPolicy(Qt::NoFocus);
  setAccessibleName(tr("Segments"));
  sized(*this, [this] { setFixedHeight(px(kHeight)); });
  auto* content = new QWidget;
  content->setAutoFillBackground(true);
  content->setBackgroundRole(QPalette::Base);
  m_row = new QHBoxLayout(content);
  m_row->setContentsMargins(12, 0, 12, 0);
  m_row->setSpacing(6);
  m_row->addStretch();
  setWidget(content);
  m_group = new QButtonGroup(this);
  connect(m_group, &QButtonGroup::idClicked, this,
          [this](int place) { m_engine.showSegment(static_cast<std::size_t>(place)); });
  connect(&engine, &Engine::segmentsChanged, this, &SegmentRow::refresh);
  refresh();
}

void SegmentRow::refresh()
{
  const std::vector<Segment>& segments = m_engine.segments();
  setVisible(segments.size() > 1);
  if (segments.size() != m_pills.size())
    makePills();
  for (std::size_t i = 0; i < segments.size(); ++i) {
    const QString text = pillText(segments, i);
    if (m_pills[i]->text() != text)
      m_pills[i]->setText(text);
    m_pills[i]->setToolTip(pillHelp(segments[i]));
    m_pills[i]->setAccessibleName(tr("Segment %1").arg(text));
  }
  if (m_engine.shownSegment() < m_pills.size()) {
    QPushButton* const shown = m_pills[m_engine.shownSegment()];
    shown->setChecked(true);
    ensureWidgetVisible(shown, px(40), 0);
  }
}

void SegmentRow::makePills()
{
  while (m_pills.size() > m_engine.segments().size()) {
    QPushButton* const pill = m_pills.back();
    m_pills.pop_back();
    m_group->removeButton(pill);
    pill->hide();
    pill->deleteLater();  // its menu may be what asks
  }
  for (std::size_t i = m_pills.size(); i < m_engine.segments().size(); ++i) {
    auto* pill = new QPushButton;
    pill->setCheckable(true);
    pill->setProperty("pill", true);
    pill->setObjectName(QStringLiteral("segment%1").arg(i));
    setType(*pill, Face::Words, 12);
    pill->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(pill, &QWidget::customContextMenuRequested, this,
            [this, i, pill](const QPoint& at) { openMenu(i, pill->mapToGlobal(at)); });
    pill->installEventFilter(this);
    m_group->addButton(pill, static_cast<int>(i));
    m_row->insertWidget(static_cast<int>(i), pill);
    m_pills.push_back(pill);
  }
}

bool SegmentRow::hasKeyboard() const
{
  return std::any_of(m_pills.begin(), m_pills.end(), [](const QPushButton* pill) { return pill->hasFocus(); });
}

void SegmentRow::walk(int by)
{
  const auto last = static_cast<qsizetype>(m_engine.segments().size()) - 1;
  const auto wanted = std::clamp<qsizetype>(static_cast<qsizetype>(m_engine.shownSegment()) + by, 0, last);
  m_engine.showSegment(static_cast<std::size_t>(wanted));
}

/// Among the pills the arrows show the one before and the next, and the keyboard goes along.
bool SegmentRow::eventFilter(QObject* watched, QEvent* event)
{
  if (event->type() == QEvent::KeyPress) {
    const auto* const key = static_cast<QKeyEvent*>(event);
    const int by = key->key() == Qt::Key_Left ? -1 : key->key() == Qt::Key_Right ? 1 : 0;
    if (by != 0) {
      walk(by);
      m_pills.at(m_engine.shownSegment())->setFocus();
      return true;
    }
  }
  return QScrollArea::eventFilter(watched, event);
}

void SegmentRow::openMenu(std::size_t place, const QPoint& at)
{
  auto* menu = new QMenu(this);
  menu->setAttribute(Qt::WA_DeleteOnClose);
  menu->addAction(tr("Rename …"), this, [this, place] { askForName(place); });
  menu->addAction(tr("Remove from the session …"), this, [this, place] { askToRemove(place); });
  menu->popup(at);
}

void SegmentRow::askForName(std::size_t place)
{
  QInputDialog question(this);
  question.setWindowTitle(tr("Bexto"));
  question.setLabelText(tr("What is the segment called?"));
  question.setTextValue(toQString(m_engine.segments().at(place).name));
  question.resize(px(360), question.sizeHint().height());
  if (question.exec() == QDialog::Accepted)
    m_engine.renameSegment(place, question.textValue());
}

void SegmentRow::askToRemove(std::size_t place)
{
  const QString name = pillText(m_engine.segments(), place);
  QMessageBox question(QMessageBox::NoIcon, tr("Bexto"), tr("Remove segment %1?").arg(name.toHtmlEscaped()),
                       QMessageBox::NoButton, this);
  question.setInformativeText(tr("Its markers and notes go with it, and no undo brings it back."));
  QPushButton* const remove = question.addButton(tr("Remove it"), QMessageBox::DestructiveRole);
  QPushButton* const keep = question.addButton(tr("Keep it"), QMessageBox::RejectRole);
  question.setDefaultButton(keep);
  question.setEscapeButton(keep);
  question.exec();
  if (question.clickedButton() == remove)
    m_engine.removeSegment(place);
}

}  // namespace bexto::ui
