#pragma once

#include <QObject>

namespace bexto::ui {

/// Letters, digits and Space are shortcuts of the window; in a field, in a list that is searched by typing and on a
/// button they are what they always are there. With Ctrl they are shortcuts in a line of text too, but for those that
/// edit it everywhere. Watches the whole application while it lives.
class TypingGuard : public QObject {
 public:
  explicit TypingGuard(QObject* parent);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
};

}  // namespace bexto::ui
