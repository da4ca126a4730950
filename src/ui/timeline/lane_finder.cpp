#include "ui/timeline/lane_finder.h"

#include <QKeyEvent>

#include "ui/theme/theme.h"
#include "ui/timeline/timeline_lanes.h"

namespace bexto::ui {

namespace {
constexpr std::size_t kSeenAtOnce = 16;
constexpr int kWideWidth = 260;
}  // namespace

LaneFinder::LaneFinder(QWidget* parent) : QLineEdit(parent)
{
  setObjectName(QStringLiteral("laneFinder"));
  setAccessibleName(tr("Find a channel by its name"));
  setPlaceholderText(tr("find channel"));
  setClearButtonEnabled(true);
  setFocusPolicy(Qt::ClickFocus);
  setType(*this, Face::Words, 11);
  sized(*this, [this] { place(); });
  place();
}

void LaneFinder::setChannels(std::size_t count)
{
  m_channels = count;
  place();
}

void LaneFinder::open()
{
  show();
  setFocus();
  selectAll();
}

void LaneFinder::place()
{
  const bool wide = hasFocus();
  setGeometry(px(2), px(2), px(wide ? kWideWidth : kLaneHeader - 4), px(kRulerHeight - 4));
  setVisible(wide || !text().isEmpty() || m_channels > kSeenAtOnce);
}

void LaneFinder::keyPressEvent(QKeyEvent* event)
{
  switch (event->key()) {
    case Qt::Key_Escape:
      clear();
      [[fallthrough]];
    case Qt::Key_Return:
    case Qt::Key_Enter:
    case Qt::Key_Down:
    case Qt::Key_Up:
      Q_EMIT left();
      return;
    default:
      QLineEdit::keyPressEvent(event);
  }
}

void LaneFinder::focusInEvent(QFocusEvent* event)
{
  QLineEdit::focusInEvent(event);
  place();
}

void LaneFinder::focusOutEvent(QFocusEvent* event)
{
  QLineEdit::focusOutEvent(event);
  place();
}

}  // namespace bexto::ui
