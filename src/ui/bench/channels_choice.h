#pragma once

#include <QDialog>
#include <string>
#include <vector>

#include "core/session/capture_plan.h"

class QTableWidget;

namespace bexto::ui {

/// Which inputs of a source are captured, and what hangs on each.
class ChannelsChoice : public QDialog {
  Q_OBJECT
 public:
  /// `inputs`: what the source calls them; `planned`: none means all.
  ChannelsChoice(const std::vector<std::string>& inputs, const std::vector<PlannedChannel>& planned,
                 QWidget* parent = nullptr);

  /// Empty when all are captured under the source's own names.
  std::vector<PlannedChannel> chosen() const;

 private:
  void setAll(bool on);

  std::vector<std::string> m_inputs;
  QTableWidget* m_table;
};

}  // namespace bexto::ui
