#include "ui/window/shortcuts_dialog.h"

#include <QAction>
#include <QDialogButtonBox>
#include <QGridLayout>
#include <QLabel>
#include <QScrollArea>

#include "core/query/term.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

namespace {

/// Two columns of a key and what it does, as long as there is something to say.
class Table {
 public:
  explicit Table(QDialog* dialog) : m_dialog(dialog), m_content(new QWidget), m_grid(new QGridLayout(m_content))
  {
    m_grid->setHorizontalSpacing(20);
    m_grid->setVerticalSpacing(3);
    m_grid->setColumnStretch(1, 1);
  }
  void head(const QString& text)
  {
    auto* label = new QLabel(text);
    setType(*label, Face::Words, 13, true);
    label->setContentsMargins(0, 8, 0, 2);
    m_grid->addWidget(label, m_row++, 0, 1, 2);
  }
  void add(const QString& key, const QString& text)
  {
    auto* label = new QLabel(key);
    setType(*label, Face::Data, 12);
    m_grid->addWidget(label, m_row, 0, Qt::AlignTop);
    auto* what = new QLabel(text);
    what->setWordWrap(true);
    m_grid->addWidget(what, m_row++, 1);
  }
  void finish()
  {
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setWidget(m_content);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    QObject::connect(buttons, &QDialogButtonBox::rejected, m_dialog, &QDialog::reject);
    auto* column = new QVBoxLayout(m_dialog);
    column->addWidget(scroll, 1);
    column->addWidget(buttons);
    m_dialog->resize(px(620), px(640));
  }

 private:
  QDialog* m_dialog;
  QWidget* m_content;
  QGridLayout* m_grid;
  int m_row = 0;
};

}  // namespace

ShortcutsDialog::ShortcutsDialog(const QList<QAction*>& actions, QWidget* parent) : QDialog(parent)
{
  setWindowTitle(tr("All shortcuts"));
  setObjectName(QStringLiteral("shortcuts"));
  Table table(this);
  for (const QAction* action : actions) {
    if (!action->shortcut().isEmpty())
      table.add(action->shortcut().toString(QKeySequence::NativeText), action->text());
  }
  table.head(tr("In the Ledger"));
  table.add(tr("Up, Down"), tr("previous and next line; with Shift several are picked"));
  table.add(tr("Right, Left"), tr("open and close a line"));
  table.add(tr("Return"), tr("show it on the wires"));
  table.add(tr("Ctrl+C"), tr("copy the picked lines as text"));
  table.add(tr("menu key"), tr("keep only these, hide these, show what surrounds this, note"));
  table.head(tr("On the heads of its columns"));
  table.add(tr("Left, Right"), tr("from head to head; with Ctrl the column goes along"));
  table.add(tr("+, −"), tr("wider, narrower"));
  table.add(tr("Delete"), tr("put the column away"));
  table.head(tr("In the Timeline"));
  table.add(tr("Left, Right"), tr("pan"));
  table.add(tr("+, −"), tr("zoom"));
  table.add(tr("Alt+Up, Alt+Down"), tr("walk the lanes; the menu key then says what can be done with one"));
  table.add(tr("wheel, drag"), tr("zoom at the pointer, pan"));
  table.head(tr("In the Overview"));
  table.add(tr("Left, Right"), tr("move the view by its own width"));
  table.add(tr("+, −"), tr("narrower, wider"));
  table.head(tr("In the Anatomy"));
  table.add(tr("Up, Down"), tr("from field to field"));
  table.add(tr("Left, Right"), tr("from bit to bit, with what each measured"));
  table.head(tr("In the list of markers"));
  table.add(tr("F2"), tr("write a name or a note"));
  table.add(tr("Ctrl+Left, Ctrl+Right"), tr("to the edge before or after, of the wire that is measured"));
  table.add(tr("Delete"), tr("remove the marker"));
  table.finish();
}

FilterHelpDialog::FilterHelpDialog(QWidget* parent) : QDialog(parent)
{
  setWindowTitle(tr("The filter language"));
  setObjectName(QStringLiteral("filterHelp"));
  Table table(this);
  table.head(tr("Putting terms together"));
  table.add(QStringLiteral("read nack"), tr("terms side by side: both hold"));
  table.add(QStringLiteral("read or write"), tr("one of them holds"));
  table.add(QStringLiteral("not read"), tr("it does not hold"));
  table.add(QStringLiteral("(a or b) c"), tr("brackets"));
  table.add(QStringLiteral("from nack"), tr("everything from the first line on for which it holds"));
  table.add(QStringLiteral("sensors"), tr("the name of a bus"));
  table.add(QStringLiteral("\"stalled\""), tr("these letters in the payload"));
  table.head(tr("Keys: a value, a list, a range, or < <= > >= !="));
  for (const TermHelp& key : queryKeys())
    table.add(toQString(key.example), toQString(say(key.help)));
  table.add(QStringLiteral("0x10  0b101  0d16"),
            tr("say the base of a number; else it is the one that the key is written in"));
  table.head(tr("Words"));
  for (const TermHelp& word : queryWords())
    table.add(toQString(word.key), tr("lines with %1").arg(toQString(say(word.help))));
  table.finish();
}

}  // namespace bexto::ui
