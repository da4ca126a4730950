#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>

#include "core/base/number_text.h"
#include "core/decode/protocol.h"
#include "ui/bytes/bytes_view.h"
#include "ui/text/elided_label.h"
#include "ui/theme/choices.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

BytesPage::BytesPage(Engine& engine, Focus& focus, QWidget* parent)
    : LowerPage(parent),
      m_engine(engine),
      m_focus(focus),
      m_view(new BytesView),
      m_controls(new QWidget),
      m_choice(new QComboBox),
      m_wrap(new QComboBox),
      m_status(new ElidedLabel),
      m_job(std::make_unique<Job>())
{
  m_choice->setAccessibleName(tr("Bus and direction"));
  m_choice->setObjectName(QStringLiteral("bytesOf"));
  sized(*m_choice, [this] { m_choice->setMinimumWidth(px(150)); });
  m_wrap->setAccessibleName(tr("Bytes a line"));
  for (const int wrap : {8, 16, 32})
    m_wrap->addItem(tr("%1 a line").arg(wrap), wrap);
  m_wrap->setCurrentIndex(1);
  setType(*m_status, Face::Words, 11);
  auto* row = new QHBoxLayout(m_controls);
  row->setContentsMargins(0, 0, 12, 0);
  row->addWidget(m_choice);
  row->addWidget(m_wrap);
  row->addStretch();
  row->addWidget(m_status);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(m_view, 1);
  setFocusProxy(m_view);
  connect(&engine, &Engine::captureChanged, this, [this] {
    m_loaded.reset();
    m_stale = true;
    updateChoices();
    if (isVisible())
      load();
  });
  connect(&engine, &Engine::changed, this, &BytesPage::follow);
  connect(&focus, &Focus::selectionChanged, this, &BytesPage::followSelection);
  connect(m_choice, &QComboBox::activated, this, [this] {
    m_view->clearPicked();
    load();
  });
  connect(m_wrap, &QComboBox::activated, this, [this] { m_view->setWrap(m_wrap->currentData().toInt()); });
  connect(m_view, &BytesView::pickedChanged, this, &BytesPage::updateStatus);
  connect(&theme(), &Theme::changed, this, &BytesPage::updateStatus);
  connect(m_view, &BytesView::framePicked, this, [this](std::uint64_t frame) {
    const Choice* choice = chosen();
    if (choice == nullptr)
      return;
    const Selection selection{choice->stream, frame, m_view->stream().frames().frame(frame).time.begin};
    if (!m_focus.exists(selection))
      return;
    m_picking = true;
    m_focus.select(selection);
    m_focus.reveal(m_focus.selectedTime());
    m_picking = false;
  });
}

void BytesPage::follow(const EngineChange& change)
{
  const Choice* const now = chosen();
  const BusChange* const bus = now == nullptr ? nullptr : change.of(now->stream.bus);
  if (change.isDescribed() || (now == nullptr && change.hasNewFrames()))
    updateChoices();
  if (bus != nullptr && (bus->described || bus->frames == BusChange::Frames::Replaced))
    m_loaded.reset();
  const bool other = change.busList || now == nullptr || (bus != nullptr && (bus->hasNewFrames() || bus->described));
  if (!other)
    return;
  m_stale = true;
  if (isVisible())
    load();
}

void BytesPage::updateChoices()
{
  const Choice* const chosenBefore = chosen();
  const Choice before = chosenBefore == nullptr ? Choice{} : *chosenBefore;
  int now = 0;
  QStringList names;
  m_choices.clear();
  for (int b = 0; b < m_engine.busCount(); ++b) {
    const BusView& view = m_engine.bus(b);
    for (std::size_t s = 0; s < view.streams.size(); ++s) {
      for (const PayloadWay way : view.shown.protocol().waysOf(view.shown)) {
        QString name = toQString(view.shown.name);
        if (view.streams.size() > 1 && !view.streams[s].line.empty())
          name += QLatin1Char(' ') + toQString(view.streams[s].line).toUpper();
        if (const std::string& label = view.shown.protocol().facts().ways.at(way).label; !label.empty())
          name += QStringLiteral(", ") + toQString(say(label));
        const Choice choice{{view.id, static_cast<int>(s)}, way};
        if (choice.stream == before.stream && choice.way == before.way)
          now = static_cast<int>(names.size());
        m_choices.push_back(choice);
        names << name;
      }
    }
  }
  if (!offers(*m_choice, names)) {
    m_choice->clear();
    m_choice->addItems(names);
  }
  m_choice->setCurrentIndex(m_choices.empty() ? -1 : now);
}

const BytesPage::Choice* BytesPage::chosen() const
{
  const int i = m_choice->currentIndex();
  return i >= 0 && static_cast<std::size_t>(i) < m_choices.size() ? &m_choices[static_cast<std::size_t>(i)] : nullptr;
}

void BytesPage::showEvent(QShowEvent* /*event*/)
{
  if (m_stale)
    load();
  followSelection();
}

void BytesPage::load()
{
  m_stale = false;
  const Choice* choice = chosen();
  if (choice == nullptr) {
    m_job->cancel();
    m_loaded.reset();
    m_view->setStream({}, tr("Add a bus (A), and its bytes stand here."));
    return;
  }
  const FrameIndex frames = m_engine.find(choice->stream)->transactions.frames();
  const bool more = m_loaded == *choice;
  const ByteStream before = more ? m_view->stream() : ByteStream();
  m_job->start(
      [this, bus = m_engine.find(choice->stream.bus)->shown, frames, asked = *choice, more, before](JobRun& run) {
        auto stream = more ? before.extended(frames, run.stop()) : ByteStream::make(bus, frames, asked.way, run.stop());
        if (!stream)
          return;
        run.post([this, made = std::move(*stream), asked] {
          m_loaded = asked;
          m_view->setStream(made, tr("No bytes go this way."));
          followSelection();
          updateStatus();
        });
      });
}

void BytesPage::followSelection()
{
  if (m_picking || !isVisible() || !m_focus.selection().valid())
    return;
  const Choice* now = chosen();
  const Selection& selection = m_focus.selection();
  if (now == nullptr || now->stream != selection.stream) {
    // Another bus was picked: show that, in the direction in which the frame has bytes.
    for (std::size_t i = 0; i < m_choices.size(); ++i) {
      if (m_choices[i].stream == selection.stream) {
        m_choice->setCurrentIndex(static_cast<int>(i));
        m_view->clearPicked();
        load();
        return;
      }
    }
    return;
  }
  if (selection.frame < m_view->stream().frames().size())
    m_view->showFrame(selection.frame);
}

QString BytesPage::status() const
{
  return m_status->text();
}

void BytesPage::updateStatus()
{
  QString text = countOf(m_view->stream().size(), kBytes);
  if (const auto range = m_view->picked(); range && m_view->stream().size() > 0) {
    const std::uint64_t count = range->second - range->first + 1;
    // Frames that carry bytes this way; of very much, as many as there can be.
    constexpr std::uint64_t kLook = 1U << 16U;
    std::uint64_t frames = 0;
    std::uint64_t last = 0;
    for (const ByteStream::Byte& b :
         m_view->stream().read(range->first, static_cast<std::size_t>(std::min(kLook, count)))) {
      frames += frames == 0 || b.frame != last ? 1U : 0U;
      last = b.frame;
    }
    text =
        tr("%1 from %2 on, in %3 · of %4")
            .arg(countOf(count, kBytes), QStringLiteral("%1").arg(range->first, 4, 16, QLatin1Char('0')).toUpper(),
                 count > kLook ? countOf(frames, {"over {} frame", "over {} frames"}) : countOf(frames, kFrames), text);
  }
  m_status->setText(text);
  setInk(*m_status, Ink::Muted);
}

}  // namespace bexto::ui
