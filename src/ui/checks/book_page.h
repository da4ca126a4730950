#pragma once

#include <QTimer>
#include <memory>
#include <optional>
#include <vector>

#include "ui/checks/book_model.h"
#include "ui/engine/engine.h"
#include "ui/job/job.h"
#include "ui/page/lower_page.h"
#include "ui/session/session_model.h"
#include "ui/verdicts/verdicts.h"

class QComboBox;
class QListWidget;
class QPushButton;
class QTreeView;

namespace bexto::ui {

class ElidedLabel;
class YamlEdit;

/// A rulebook is written here: its text with the mistakes in place, and beside it each rule with the limit that the
/// original has and what the traffic makes of it, while one types. Nothing else changes until it is kept.
class BookPage : public LowerPage {
  Q_OBJECT
 public:
  BookPage(SessionModel& session, Engine& engine, Verdicts& verdicts, QWidget* parent = nullptr);

  QString title() const override { return tr("Rulebook"); }
  QString help() const override { return tr("Which limits hold on a bus, and what they make of the traffic"); }
  QString key() const override { return QStringLiteral("rulebook"); }
  QWidget* controls() override { return m_controls; }
  QWidget& keyboard() override;

  /// Opens a book that the bus uses. What is not kept stays with its book.
  void edit(BusId bus, const QString& name);
  /// Begins one of the bus's own, made from that shipped book; empty: from none.
  void begin(BusId bus, const QString& base);

  YamlEdit& text() { return *m_text; }
  QPushButton& keepButton() { return *m_keep; }
  QComboBox& choice() { return *m_choice; }
  QTreeView& list() { return *m_list; }
  const BookModel& rows() const { return *m_rows; }
  QStringList mistakes() const;
  QString status() const;
  /// Whether the rules beside the text are being measured.
  bool isMeasuring() const;

 private:
  struct Choice {
    BusId bus = BusId::None;
    std::string name;  ///< of its file; empty: it is new
    std::string base;  ///< of a new one
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
  void measure(const Bus& shown);
  void keep();
  QString textOf(const Choice& choice) const;
  void say(const QString& text, bool wrong);

  SessionModel& m_session;
  Engine& m_engine;
  Verdicts& m_verdicts;
  QWidget* m_controls;
  QComboBox* m_choice;
  QPushButton* m_keep;
  ElidedLabel* m_status;
  YamlEdit* m_text;
  QListWidget* m_mistakes;
  QTreeView* m_list;
  BookModel* m_rows;
  QTimer m_pause;
  std::vector<Choice> m_choices;
  std::optional<Choice> m_open;
  std::vector<Draft> m_drafts;  ///< what was typed and not kept
  std::unique_ptr<Job> m_job;
  bool m_filling = false;
};

}  // namespace bexto::ui
