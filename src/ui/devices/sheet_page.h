#pragma once

#include <QTimer>
#include <memory>
#include <optional>
#include <vector>

#include "ui/engine/engine.h"
#include "ui/page/lower_page.h"
#include "ui/sheets/sheet_library.h"

class QComboBox;
class QLabel;
class QListWidget;
class QPushButton;

namespace bexto::ui {

class YamlEdit;

/// A device sheet is written here: its text with the mistakes in place, and beside it the first transactions as it
/// reads them, while one types. Nothing else changes until it is kept.
class SheetPage : public LowerPage {
  Q_OBJECT
 public:
  SheetPage(SessionModel& session, Engine& engine, SheetLibrary& library, QWidget* parent = nullptr);

  QString title() const override { return tr("Sheet"); }
  QString help() const override
  {
    return tr("What the bytes of a device mean: its sheet, and what it makes of the traffic");
  }
  QString key() const override { return QStringLiteral("sheet"); }
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override;

  /// Opens the sheet of that bus, or begins a new one where `name` is empty. What is not kept stays with its sheet.
  void edit(BusId bus, const QString& name);

  YamlEdit& text() { return *m_text; }
  QPushButton& keepButton() { return *m_keep; }
  QComboBox& choice() { return *m_choice; }
  /// What stands beside the text.
  QStringList readings() const;
  QStringList mistakes() const;
  QString status() const;

 private:
  struct Choice {
    BusId bus = BusId::None;
    std::string name;  ///< of its file
    bool operator==(const Choice&) const = default;
  };
  struct Draft {
    Choice of;
    QString text;
  };
  void updateChoices();
  void open(const Choice& choice);
  void edited();
  void understand();
  void keep();
  QString textOf(const Choice& choice) const;
  void say(const QString& text, bool wrong);

  SessionModel& m_session;
  Engine& m_engine;
  SheetLibrary& m_library;
  QWidget* m_controls;
  QComboBox* m_choice;
  QPushButton* m_keep;
  QLabel* m_status;
  YamlEdit* m_text;
  QListWidget* m_mistakes;
  QListWidget* m_readings;
  QTimer m_pause;
  std::vector<Choice> m_choices;
  std::optional<Choice> m_open;
  std::vector<Draft> m_drafts;  ///< what was typed and not kept
  std::unique_ptr<Job> m_job;
  bool m_filling = false;
};

}  // namespace bexto::ui
