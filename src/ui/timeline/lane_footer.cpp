#include "ui/timeline/lane_footer.h"

#include <QToolButton>
#include <QVBoxLayout>

#include "ui/theme/theme.h"

namespace bexto::ui {

LaneFooter::LaneFooter(SessionModel& session, QWidget* parent) : QWidget(parent), m_session(session)
{
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(4, 2, 4, 2);
  column->setSpacing(2);
  m_moving = addButton("moreWires");
  m_loose = addButton("foldedWires");
  m_still = addButton("stillWires");
  connect(m_moving, &QToolButton::clicked, this,
          [this] { change(tr("show all wires"), [](LaneArrangement& lanes) { lanes.setAllWires(true); }); });
  connect(m_loose, &QToolButton::clicked, this,
          [this] { change(tr("show the wires"), [](LaneArrangement& lanes) { lanes.setLooseFolded(false); }); });
  connect(m_still, &QToolButton::clicked, this, [this] {
    const bool show = !m_session.value().lanes.hasStillWires();
    change(show ? tr("show wires that never change") : tr("put wires that never change away"),
           [show](LaneArrangement& lanes) { lanes.setStillWires(show); });
  });
}

QToolButton* LaneFooter::addButton(const char* name)
{
  auto* button = new QToolButton;
  button->setObjectName(QLatin1String(name));
  button->setProperty("flat", true);
  setType(*button, Face::Words, 12);
  layout()->addWidget(button);
  return button;
}

void LaneFooter::change(const QString& text, const std::function<void(LaneArrangement&)>& with)
{
  LaneArrangement lanes = m_session.value().lanes;
  with(lanes);
  m_session.setLanes(text, lanes);
}

void LaneFooter::follow(const LanesLeft& left, bool searching)
{
  m_moving->setText(searching ? countOf(left.moving, {"{} more fits: show it", "{} more fit: show them"})
                              : countOf(left.moving, {"{} more wire moves: show it", "{} more wires move: show them"}));
  m_moving->setVisible(left.moving > 0);
  m_loose->setText(countOf(left.folded, {"{} wire is folded away: show it", "{} wires are folded away: show them"}));
  m_loose->setVisible(left.folded > 0);
  m_still->setText(m_session.value().lanes.hasStillWires()
                       ? countOf(left.still, {"{} channel that never changes: put it away",
                                              "{} channels that never change: put them away"})
                       : countOf(left.still, {"{} channel that never changes: show it",
                                              "{} channels that never change: show them"}));
  m_still->setVisible(left.still > 0 && !searching);
  setFixedHeight(wantedHeight());
  setFixedWidth(sizeHint().width());
}

int LaneFooter::wantedHeight() const
{
  const bool any = !m_moving->isHidden() || !m_loose->isHidden() || !m_still->isHidden();
  return any ? sizeHint().height() : 0;
}

}  // namespace bexto::ui
