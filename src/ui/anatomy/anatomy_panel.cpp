#include "ui/anatomy/anatomy_panel.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QToolButton>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/decode/protocol.h"
#include "core/export/check_writer.h"
#include "ui/anatomy/bit_strip.h"
#include "ui/focus/measured_places.h"
#include "ui/text/elided_label.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

constexpr std::uint64_t kMostFields = 300;

QToolButton* makeArrow(const QString& text, const QString& name)
{
  auto* button = new QToolButton;
  button->setText(text);
  button->setProperty("flat", true);
  button->setAccessibleName(name);
  button->setToolTip(name);
  return button;
}

/// Around a moment, more than any strip or table shows of a long transfer.
TimeRange around(const StreamView& stream, std::uint64_t frame, Picoseconds at)
{
  constexpr double kShare = 1.0 / 64.0;
  const TimeRange time = stream.transactions.frames().frame(frame).time;
  const std::size_t bytes = stream.transactions.frames().frame(frame).payload.size();
  if (bytes < 4096)
    return kAllTime;
  const Picoseconds some{static_cast<std::int64_t>(static_cast<double>(time.length().count()) * kShare)};
  return {at - some, at + some};
}

}  // namespace

FieldTable::FieldTable(QWidget* parent) : QWidget(parent)
{
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setAccessibleName(tr("Fields"));
  setFocusPolicy(Qt::StrongFocus);
}

void FieldTable::show(std::vector<Row> rows, std::uint64_t notShown)
{
  m_rows = std::move(rows);
  m_notShown = notShown;
  updateGeometry();
  update();
}

QSize FieldTable::sizeHint() const
{
  return {px(240), px(kRowHeight) * static_cast<int>(m_rows.size() + (m_notShown > 0 ? 1 : 0)) + 4};
}

void FieldTable::paintEvent(QPaintEvent* event)
{
  const Palette& c = theme().colours();
  QPainter p(this);
  const QFontMetrics data(theme().data(12));
  const QFontMetrics words(theme().words(12));
  int nameWidth = px(70);
  for (const Row& row : m_rows)
    nameWidth = std::max(nameWidth, std::min(px(112), words.horizontalAdvance(toQString(row.detail.name)) + px(16)));
  int valueWidth = px(44);
  for (const Row& row : m_rows)
    valueWidth = std::max(valueWidth, std::min(px(120), data.horizontalAdvance(toQString(row.detail.value)) + px(12)));
  int y = 0;
  for (const Row& row : m_rows) {
    const QRect rect(0, y, width(), px(kRowHeight));
    y += px(kRowHeight);
    if (!rect.intersects(event->rect()))
      continue;
    if (row.current)
      p.fillRect(rect, c.selection);
    if (row.current && hasFocus()) {
      p.setPen(c.address);
      p.drawRect(rect.adjusted(0, 0, -1, -1));
    }
    const QColor colour = row.detail.wrong     ? c.fault
                          : row.detail.isValue ? c.device
                                               : theme().roleColour(row.detail.role);
    p.fillRect(QRect(0, rect.top() + px(3), px(2), px(kRowHeight - 6)), colour);
    p.setFont(theme().words(12));
    p.setPen(c.muted);
    p.drawText(rect.adjusted(px(8), 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
               words.elidedText(toQString(row.detail.name), Qt::ElideRight, nameWidth - px(12)));
    p.setFont(theme().data(12));
    p.setPen(colour);
    p.drawText(QRect(nameWidth, rect.top(), valueWidth, px(kRowHeight)), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(toQString(row.detail.value), Qt::ElideRight, valueWidth - px(4)));
    p.setFont(theme().data(10));
    p.setPen(c.muted);
    const int whenWidth = p.fontMetrics().horizontalAdvance(row.when);
    p.drawText(rect.adjusted(0, 0, -px(4), 0), Qt::AlignRight | Qt::AlignVCenter, row.when);
    p.setFont(theme().words(11));
    p.setPen(row.detail.wrong ? c.fault : c.ink);
    const int left = nameWidth + valueWidth;
    p.drawText(
        QRect(left, rect.top(), width() - left - whenWidth - px(10), px(kRowHeight)), Qt::AlignLeft | Qt::AlignVCenter,
        p.fontMetrics().elidedText(toQString(row.detail.meaning), Qt::ElideRight, width() - left - whenWidth - px(10)));
  }
  if (m_notShown > 0) {
    p.setFont(theme().words(11));
    p.setPen(c.muted);
    p.drawText(QRect(px(8), y, width(), px(kRowHeight)), Qt::AlignLeft | Qt::AlignVCenter,
               tr("… and %1 more: open it in the Ledger").arg(toQString(countText(m_notShown))));
  }
}

void FieldTable::mousePressEvent(QMouseEvent* event)
{
  pickSpoken(std::max(0, event->pos().y() / px(kRowHeight)));
}

void FieldTable::keyPressEvent(QKeyEvent* event)
{
  const int by = event->key() == Qt::Key_Up ? -1 : event->key() == Qt::Key_Down ? 1 : 0;
  if (by == 0 || event->modifiers() != Qt::NoModifier || m_rows.empty()) {
    QWidget::keyPressEvent(event);
    return;
  }
  pickSpoken(std::clamp(spokenCurrent() + by, 0, spokenRows() - 1));
}

void FieldTable::focusInEvent(QFocusEvent* event)
{
  QWidget::focusInEvent(event);
  sayCurrentRow(*this);
  update();
}

void FieldTable::focusOutEvent(QFocusEvent* event)
{
  QWidget::focusOutEvent(event);
  update();
}

QString FieldTable::spokenText(int row, int /*column*/) const
{
  const Row& said = m_rows.at(static_cast<std::size_t>(row));
  QStringList parts{toQString(said.detail.name), toQString(said.detail.value)};
  if (!said.detail.meaning.empty())
    parts << toQString(said.detail.meaning);
  if (said.detail.wrong)
    parts << tr("faulty");
  return parts.join(QStringLiteral(", "));
}

QRect FieldTable::spokenRect(int row, int /*column*/) const
{
  return {0, row * px(kRowHeight), width(), px(kRowHeight)};
}

int FieldTable::spokenCurrent() const
{
  const auto found = std::find_if(m_rows.begin(), m_rows.end(), [](const Row& row) { return row.current; });
  return found == m_rows.end() ? -1 : static_cast<int>(found - m_rows.begin());
}

void FieldTable::pickSpoken(int row)
{
  if (row < 0 || row >= spokenRows())
    return;
  const Row picked = m_rows[static_cast<std::size_t>(row)];
  Q_EMIT this->picked(picked.detail.frame, picked.at);
  sayCurrentRow(*this);
}

AnatomyPanel::AnatomyPanel(Engine& engine, Focus& focus, QWidget* parent)
    : QWidget(parent), m_engine(engine), m_focus(focus)
{
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(12, 4, 6, 4);
  outer->setSpacing(4);
  auto* head = new QHBoxLayout;
  auto* name = new QLabel(tr("Anatomy"));
  setType(*name, Face::Words, 12, true);
  m_previous = makeArrow(QStringLiteral("‹"), tr("Previous transaction of this bus"));
  m_next = makeArrow(QStringLiteral("›"), tr("Next transaction of this bus"));
  head->addWidget(name);
  head->addStretch();
  head->addWidget(m_previous);
  head->addWidget(m_next);
  outer->addLayout(head);
  m_empty = new QLabel(tr("Pick a transaction in the Ledger or on the Timeline: here it opens up."));
  m_empty->setWordWrap(true);
  outer->addWidget(m_empty);

  m_content = new QWidget;
  auto* column = new QVBoxLayout(m_content);
  column->setContentsMargins(0, 0, 8, 8);
  column->setSpacing(6);
  m_title = new QLabel;
  m_title->setWordWrap(true);
  m_title->setTextFormat(Qt::PlainText);
  setType(*m_title, Face::Words, 15, true);
  m_title->setTextInteractionFlags(Qt::TextSelectableByMouse);
  m_place = new ElidedLabel;
  setType(*m_place, Face::Data, 11);
  const auto makeWay = [](const char* name, const QString& help) {
    auto* way = new QToolButton;
    way->setObjectName(QLatin1String(name));
    way->setProperty("flat", true);
    way->setStyleSheet(QStringLiteral("padding-left: 0; padding-right: 4px;"));
    way->setToolTip(help);
    setType(*way, Face::Words, 12);
    return way;
  };
  m_partner = makeWay("partner", tr("From request to answer, or back"));
  connect(m_partner, &QToolButton::clicked, this, &AnatomyPanel::partnerWanted);
  m_kin = makeWay("kin", tr("From a message to its parts, or back"));
  connect(m_kin, &QToolButton::clicked, this, &AnatomyPanel::kinWanted);
  m_faults = new QLabel;
  m_faults->setWordWrap(true);
  m_causes = new QLabel;
  m_causes->setWordWrap(true);
  m_causes->setTextFormat(Qt::PlainText);
  m_causes->setObjectName(QStringLiteral("causes"));
  m_causes->hide();
  setType(*m_causes, Face::Words, 12);
  m_intervalsTitle = new QLabel(tr("Measured"));
  setType(*m_intervalsTitle, Face::Words, 11, true);
  m_intervalsTitle->hide();
  m_intervals = new QListWidget;
  m_intervals->setFrameShape(QFrame::NoFrame);
  m_intervals->setAccessibleName(tr("Measured intervals"));
  m_intervals->setProperty("shortcutsFirst", true);
  m_intervals->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_intervals->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_intervals->viewport()->setBackgroundRole(QPalette::Base);
  m_intervals->hide();
  setType(*m_intervals, Face::Data, 11);
  connect(m_intervals, &QListWidget::itemClicked, this, [this] { showInterval(m_intervals->currentRow()); });
  connect(m_intervals, &QListWidget::itemActivated, this, [this] { showInterval(m_intervals->currentRow()); });
  m_stripTitle = new QLabel;
  setType(*m_stripTitle, Face::Words, 11, true);
  m_strip = new BitStrip;
  auto* fieldsTitle = new QLabel(tr("Fields"));
  setType(*fieldsTitle, Face::Words, 11, true);
  m_fields = new FieldTable;
  for (QWidget* part :
       std::initializer_list<QWidget*>{m_title, m_place, m_partner, m_kin, m_faults, m_causes, m_stripTitle, m_strip,
                                       fieldsTitle, m_fields, m_intervalsTitle, m_intervals})
    column->addWidget(part);
  column->addStretch();
  m_scroll = new QScrollArea;
  m_scroll->setWidgetResizable(true);
  m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  m_scroll->setWidget(m_content);
  outer->addWidget(m_scroll, 1);
  outer->addStretch(0);

  connect(m_previous, &QToolButton::clicked, this, [this] { m_focus.selectNeighbour(false); });
  connect(m_next, &QToolButton::clicked, this, [this] { m_focus.selectNeighbour(true); });
  connect(m_fields, &FieldTable::picked, this, [this](std::uint64_t frame, Picoseconds at) {
    Selection selection = m_focus.selection();
    selection.frame = frame;
    selection.at = at;
    m_focus.step(selection);  // within the line
  });
  connect(&focus, &Focus::selectionChanged, this, &AnatomyPanel::refresh);
  connect(&theme(), &Theme::changed, this, &AnatomyPanel::refresh);
  connect(&theme(), &Theme::resized, this, [this] {
    m_strip->updateGeometry();
    m_fields->updateGeometry();
  });
  refresh();
}

void AnatomyPanel::showEmpty()
{
  m_scroll->hide();
  m_empty->setVisible(true);
  setInk(*m_empty, Ink::Muted);
  m_previous->setEnabled(false);
  m_next->setEnabled(false);
  m_fields->show({}, 0);
  m_strip->show({}, Picoseconds{0});
  m_title->clear();
  m_causes->clear();
  m_intervals->clear();
  m_measured.clear();
}

void AnatomyPanel::refresh()
{
  if (!m_focus.selection().valid()) {
    showEmpty();
    return;
  }
  const Palette& c = theme().colours();
  const BusView& view = *m_engine.find(m_focus.selection().stream.bus);
  const StreamView& stream = m_focus.selectedStream();
  const Transactions& transactions = stream.transactions;
  const std::uint64_t number = m_focus.selectedTransaction();
  const TimeRange time = transactions.timeOf(number);
  m_empty->hide();
  m_scroll->show();
  m_previous->setEnabled(number > 0);
  m_next->setEnabled(number + 1 < transactions.size());
  m_title->setText(toQString(sentenceOf(view.shown, transactions, number, 16).text()));
  // Of a recorded frame nobody knows how long it was.
  const QString length = time.empty() ? QString() : toQString(lengthText(time.length())) + QStringLiteral("  ");
  m_place->setText(
      tr("%1 s  %2#%3").arg(toQString(momentText(time.begin, 9)), length, toQString(countText(number + 1))));
  setInk(*m_place, Ink::Muted);
  const auto partner =
      transactions.meaning() ? transactions.meaning()->partnerOf(transactions.framesOf(number)) : std::nullopt;
  m_partner->setVisible(partner && partner->stream >= 0);
  if (partner && partner->stream >= 0)
    m_partner->setText((partner->isAnswer ? tr("answers after %1 ›") : tr("answered after %1 ›"))
                           .arg(toQString(lengthText(partner->wait, 3))));
  const auto kin = transactions.meaning() ? transactions.meaning()->kinOf(transactions.framesOf(number)) : std::nullopt;
  m_kin->setVisible(kin.has_value());
  if (kin)
    m_kin->setText(kin->areParts ? tr("came in %1 ›").arg(countOf(kin->frames.size(), {"{} frame", "{} frames"}))
                                 : tr("part of a message ›"));
  const QString faults = toQString(faultText(view.shown, transactions, number));
  m_faults->setVisible(!faults.isEmpty());
  m_faults->setText(QStringLiteral("▲ ") + faults);
  m_faults->setStyleSheet(
      QStringLiteral("color: %1; border: 1px solid %1; border-radius: 4px; padding: 4px 8px; font-weight: 600;")
          .arg(c.fault.name()));

  std::vector<FieldTable::Row> rows;
  const std::uint64_t count = detailCount(view.shown, transactions, number);
  Anatomy anatomy;
  std::uint64_t anatomyFrame = ~std::uint64_t{0};
  for (std::uint64_t i = 0; i < std::min(count, kMostFields); ++i) {
    FieldTable::Row row;
    row.detail = detailAt(view.shown, transactions, number, i);
    const Frame frame = transactions.frames().frame(row.detail.frame);
    row.at = frame.time.begin;
    TimeRange span = frame.time;
    row.current = row.detail.frame == m_focus.selection().frame;
    if (!view.shown.protocol().facts().framesAreValues) {
      if (anatomyFrame != row.detail.frame)
        anatomy = anatomyOf(view.shown, stream.input, transactions.frames(), row.detail.frame,
                            around(stream, row.detail.frame, frame.time.begin));
      anatomyFrame = row.detail.frame;
      if (const Field* const field = fieldOf(anatomy, row.detail); field != nullptr) {
        span = field->time;
        row.at = span.begin + span.length() / 2;
      }
      if (row.current) {
        // Of the frame's parts the one that holds the moment.
        const auto [first, end] = view.shown.protocol().bitsAround(anatomy, m_focus.selection().at);
        const auto [mine, mineEnd] = view.shown.protocol().bitsAround(anatomy, row.at);
        row.current = first == mine && first < end && mine < mineEnd;
      }
    }
    if (stream.hasBits())
      row.when = QStringLiteral("+") + toQString(lengthText(span.begin - time.begin, 3));
    rows.push_back(std::move(row));
  }
  m_fields->show(std::move(rows), count - std::min(count, kMostFields));
  showStrip(view, stream);
  showMeasured(view, stream, transactions.framesOf(number));
}

void AnatomyPanel::showFindings(const Verdicts& verdicts)
{
  m_verdicts = &verdicts;
  connect(&verdicts, &Verdicts::changed, this, [this](BusId bus) {
    if (bus == BusId::None || (m_focus.selection().valid() && m_focus.selection().stream.bus == bus))
      refresh();
  });
}

QString AnatomyPanel::causes() const
{
  return m_causes->text();
}

/// What was measured on the transaction, each rule's worst value against its limit, and why it likely has its findings.
void AnatomyPanel::showMeasured(const BusView& view, const StreamView& stream, FrameRange frames)
{
  const BusCheck* const check = m_verdicts == nullptr ? nullptr : m_verdicts->of(view.id);
  m_intervals->clear();
  m_measured.clear();
  QStringList causes;
  const int number = m_focus.selection().stream.stream;
  for (std::size_t i = 0; check != nullptr && i < check->findings.size(); ++i) {
    const Finding& finding = check->findings[i];
    const bool isHere = finding.frame && *finding.frame >= frames.first && *finding.frame < frames.end &&
                        static_cast<int>(finding.stream) == number;
    if (!isHere)
      continue;
    const RuleSort sort = check->rules[finding.rule].sort;
    if (sort != RuleSort::Error && sort != RuleSort::Sheet)
      causes << QStringLiteral("▲ ") + toQString(finding.what);
    if (finding.cause)
      causes << tr("likely %1: %2").arg(toQString(causeName(finding.cause->kind)), toQString(finding.cause->why));
  }
  causes.removeDuplicates();
  constexpr int kMostCauses = 4;
  causes = causes.mid(0, kMostCauses);
  m_causes->setText(causes.join(QLatin1Char('\n')));
  m_causes->setVisible(!causes.isEmpty());
  if (check != nullptr && stream.hasBits() && m_verdicts->period())
    m_measured = measureFrames(view.shown, {stream.line, stream.input, stream.transactions.frames()}, frames, *check,
                               *m_verdicts->period());
  const Palette& c = theme().colours();
  for (const RuleResult& rule : m_measured) {
    const MeasuredPlace& worst = rule.places.front();
    const QString sign = rule.verdict == Verdict::Fail        ? QStringLiteral("▲")
                         : rule.verdict == Verdict::Undecided ? QStringLiteral("≈")
                         : rule.verdict == Verdict::Pass      ? QStringLiteral("✓")
                                                              : QStringLiteral(" ");
    auto* item = new QListWidgetItem(QStringLiteral("%1 %2  %3  %4")
                                         .arg(sign, toQString(rule.rule).leftJustified(12),
                                              toQString(valueText(rule, worst.value)), toQString(limitsText(rule)))
                                         .trimmed()
                                         .prepend(sign == QStringLiteral(" ") ? QStringLiteral("  ") : QString()));
    item->setForeground(rule.verdict == Verdict::Fail ? c.fault : rule.verdict == Verdict::Undecided ? c.check : c.ink);
    item->setToolTip(toQString(rule.meaning) +
                     (rule.clause.empty() ? QString() : QStringLiteral("\n") + toQString(rule.clause)));
    m_intervals->addItem(item);
  }
  m_intervalsTitle->setVisible(!m_measured.empty());
  m_intervals->setVisible(!m_measured.empty());
  m_intervals->setFixedHeight(
      m_intervals->count() == 0 ? 0 : m_intervals->sizeHintForRow(0) * m_intervals->count() + px(4));
}

void AnatomyPanel::showInterval(int row)
{
  if (row < 0 || row >= static_cast<int>(m_measured.size()) || !m_focus.selection().valid())
    return;
  const RuleResult rule = m_measured[static_cast<std::size_t>(row)];  // what is shown is made anew
  showPlace(m_engine, m_focus, m_focus.selection().stream.bus, rule, rule.places.front());
}

void AnatomyPanel::showStrip(const BusView& view, const StreamView& stream)
{
  const Selection& selection = m_focus.selection();
  const Anatomy anatomy = anatomyOf(view.shown, stream.input, stream.transactions.frames(), selection.frame,
                                    around(stream, selection.frame, selection.at));
  const auto [first, end] = view.shown.protocol().bitsAround(anatomy, selection.at);
  const std::vector<Bit> bits(anatomy.bits.begin() + static_cast<std::ptrdiff_t>(first),
                              anatomy.bits.begin() + static_cast<std::ptrdiff_t>(end));
  QStringList values;
  QString name;
  for (const Field& field : anatomy.fields) {
    if (field.firstBit < first || field.firstBit >= end || field.bitCount == 0)
      continue;
    const ValueFormat format = view.shown.format;
    if (field.role == Role::Address)
      values << toQString(addressText(field.value, field.width, format));
    else if (field.role == Role::Data)
      values << toQString(loneValueText(field.value, field.width, format));
    else if (name.isEmpty())
      name = toQString(say(field.name));
  }
  const QString value = values.isEmpty() ? name : values.join(QStringLiteral(" / "));
  m_stripTitle->setText(stream.isOfWholes()    ? tr("Its bits are those of its parts")
                        : stream.input.records ? tr("Recorded without its bits")
                        : bits.empty()         ? tr("No bits")
                                               : tr("Bits of %1").arg(value));
  m_strip->setVisible(stream.hasBits());
  m_strip->show(bits, anatomy.nominalBit);
}

QString AnatomyPanel::title() const
{
  return m_title->text();
}

QStringList AnatomyPanel::fieldLines() const
{
  QStringList lines;
  for (const FieldTable::Row& row : m_fields->rows())
    lines << toQString(row.detail.name + " " + row.detail.value + " " + row.detail.meaning);
  return lines;
}

}  // namespace bexto::ui
