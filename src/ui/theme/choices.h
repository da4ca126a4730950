#pragma once

#include <QComboBox>
#include <QStringList>

namespace bexto::ui {

/// Whether the choice offers just that already. Then it is left alone: filling it anew would empty a list that is open
/// under the user's hand, which a live capture does ten times a second.
inline bool offers(const QComboBox& choice, const QStringList& items)
{
  if (choice.count() != items.size())
    return false;
  for (int i = 0; i < choice.count(); ++i) {
    if (choice.itemText(i) != items[i])
      return false;
  }
  return true;
}

}  // namespace bexto::ui
