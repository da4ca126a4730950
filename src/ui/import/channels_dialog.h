#pragma once

#include <QDialog>
#include <map>
#include <string>
#include <vector>

#include "core/signal/capture.h"

class QComboBox;

namespace bexto::ui {

/// Asks which channels of a capture those are that a set-up names and the capture does not.
class ChannelsDialog : public QDialog {
  Q_OBJECT
 public:
  ChannelsDialog(const std::vector<std::string>& wanted, const Capture& capture, QWidget* parent);

  /// By the set-up's name, the path of the channel that was chosen; those for which there is none are left out.
  std::map<std::string, std::string> chosen() const;

 private:
  std::map<std::string, QComboBox*> m_choices;
};

}  // namespace bexto::ui
