// A language that nobody speaks: what is still English under it cannot be translated.
#include <QAccessible>
#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QProcess>
#include <QStandardItemModel>
#include <QTranslator>
#include <QTreeWidget>
#include <mutex>
#include <set>

#include "core/decode/protocol.h"
#include "core/query/term.h"
#include "support/recorded_text.h"
#include "support/window_fixture.h"
#include "ui/bytes/bytes_view.h"
#include "ui/command/command_box.h"
#include "ui/markers/markers_panel.h"
#include "ui/text/translation.h"
#include "ui/window/lower_area.h"
#include "ui/window/shortcuts_dialog.h"

using namespace bexto;
using namespace bexto::test;
using namespace std::chrono_literals;
using namespace Qt::StringLiterals;

namespace {

/// Puts an accent on every letter: "Next fault" becomes "Ñéxt fáúlt" with none left plain. Places for values stay.
QString accented(const QString& english)
{
  static const QString kPlain = u"abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"_s;
  static const QString kAccented = u"áƀćđéƒǧħíǰķłɱñóƥɋŕšŧúṽŵẋýžÁɃĆĐÉƑǦĦÍɈĶŁṀÑÓƤɊŔŠŦÚṼŴẊÝŽ"_s;
  QString out;
  for (qsizetype i = 0; i < english.size(); ++i) {
    const QChar c = english[i];
    // "{:02X}", "*.csv"
    const bool braced = c == u'{';
    const bool pattern = english.mid(i, 2) == u"*."_s;
    if (braced || pattern) {
      qsizetype end = i;
      while (end < english.size() && english[end] != (braced ? u'}' : u')'))
        ++end;
      out += english.mid(i, end - i);
      i = end - 1;
      continue;
    }
    const qsizetype at = kPlain.indexOf(c);
    out += at < 0 ? c : kAccented[at];
  }
  return out;
}

/// Speaks that language, and remembers what of the core was asked for.
class Accents : public QTranslator {
 public:
  bool isEmpty() const override { return false; }
  QString translate(const char* context, const char* text, const char* /*comment*/, int n) const override
  {
    if (text == nullptr || *text == 0)
      return {};
    if (QByteArray(context) == "core") {
      const std::scoped_lock lock(m_mutex);
      (n < 0 ? m_asked : m_counted).insert(text);
    }
    return accented(QString::fromUtf8(text));
  }
  std::set<std::string> asked() const
  {
    const std::scoped_lock lock(m_mutex);
    return m_asked;
  }
  std::set<std::string> counts() const
  {
    const std::scoped_lock lock(m_mutex);
    return m_counted;
  }

 private:
  mutable std::mutex m_mutex;  // jobs ask too
  mutable std::set<std::string> m_asked;
  mutable std::set<std::string> m_counted;
};

class TranslationTest : public WindowTest {
 protected:
  void SetUp() override
  {
    QCoreApplication::installTranslator(&m_accents);
    ui::translateTheCore();
    WindowTest::SetUp();
  }
  void TearDown() override
  {
    WindowTest::TearDown();
    QCoreApplication::removeTranslator(&m_accents);
    setTranslation(nullptr);
  }

  /// Names of buses and wires, values, units, and words that people type: those are the same in all languages.
  static bool isData(const QString& word)
  {
    static const std::set<QString> kData = [] {
      std::set<QString> words{u"ms"_s,   u"ns"_s,   u"ps"_s,    u"Hz"_s,    u"kHz"_s, u"MHz"_s, u"Bd"_s,
                              u"bit"_s,  u"kbit"_s, u"Mbit"_s,  u"Bexto"_s, u"NUL"_s, u"vcd"_s, u"pcapng"_s,
                              u"pcap"_s, u"lock"_s, u"cycle"_s, u"bexto"_s, u"gz"_s,  u"csv"_s, u"bin"_s};
      const auto add = [&words](const std::string& text) {
        for (const QString& word : QString::fromStdString(text).split(QRegularExpression(u"[^A-Za-z]+"_s)))
          words.insert(word);
      };
      for (const Protocol* protocol : protocols()) {
        add(protocol->name());
        add(protocol->label());
        for (const RoleSpec& role : protocol->facts().roles) {
          add(role.name);
          add(role.label);
        }
        for (const SettingSpec& setting : protocol->settings().specs()) {
          for (const std::string& choice : setting.choices)
            add(choice);
        }
        for (const ErrorSpec& error : protocol->facts().errors)
          add(error.word);
        for (const KindSpec& kind : protocol->facts().kinds)
          add(kind.word);
        for (const MeasureSpec& measure : protocol->facts().measures)
          add(measure.symbol);
        for (const Property& property : protocol->facts().properties) {
          add(property.key);
          add(property.example);
        }
      }
      for (const Channel& channel : cycle().capture.channels) {
        add(channel.path);
        add(channel.name);
      }
      for (const char* bus : {"sensors", "console", "sonar", "log", "adc", "drives"})
        add(bus);
      for (const TermHelp& key : queryKeys()) {
        add(key.key);
        add(key.example);
      }
      for (const TermHelp& word : queryWords())
        add(word.key);
      add("read nack or write not a b c from stalled and");
      add("gate controller ready cycle");  // what the console says
      return words;
    }();
    // Hex, and names of standards: DLC, ACK.
    static const QRegularExpression kCapitals(u"^[A-Z]{2,4}$"_s);
    return kData.count(word) > 0 || kCapitals.match(word).hasMatch();
  }
  /// Remembers a text that is still English, and where it stands.
  void look(const QString& text, const QString& where)
  {
    static const QRegularExpression kWord(u"[A-Za-z]{2,}(?![A-Za-z…])"_s);  // not one that is cut
    for (auto match = kWord.globalMatch(text); match.hasNext();) {
      if (const QString word = match.next().captured(); !isData(word))
        m_english.insert((where + u": "_s + text).toStdString());
    }
  }
  void lookAtWidget(const QWidget& widget)
  {
    const QString where = QString::fromLatin1(widget.metaObject()->className()) + u' ' + widget.objectName();
    for (const char* property : {"text", "placeholderText", "title"}) {
      const bool typed = qobject_cast<const QLineEdit*>(&widget) != nullptr && property == QByteArray("text");
      if (const QVariant value = widget.property(property); value.isValid() && !typed)
        look(value.toString(), where);
    }
    look(widget.toolTip(), where);
    look(widget.accessibleName(), where);
    look(widget.accessibleDescription(), where);
    look(widget.windowTitle(), where);
    if (const auto* combo = qobject_cast<const QComboBox*>(&widget)) {
      for (int i = 0; i < combo->count(); ++i)
        look(combo->itemText(i), where);
    }
    for (const QAction* action : widget.actions())
      look(action->text(), where + u" action"_s);
  }
  void lookAt(QWidget& root)
  {
    lookAtWidget(root);
    for (const QWidget* child : root.findChildren<QWidget*>())
      lookAtWidget(*child);
    for (const QString& text : textsOn(root))
      look(text, u"painted on "_s + QString::fromLatin1(root.metaObject()->className()));
    for (QWidget* child : root.findChildren<QWidget*>()) {
      if (qobject_cast<ui::BytesView*>(child) != nullptr)
        continue;  // whatever the payload spells
      QAccessibleInterface* const access = QAccessible::queryAccessibleInterface(child);
      for (int i = 0; access != nullptr && i < std::min(access->childCount(), 400); ++i) {
        if (const QAccessibleInterface* item = access->child(i); item != nullptr && item->object() == nullptr)
          look(item->text(QAccessible::Name), u"spoken in "_s + QString::fromLatin1(child->metaObject()->className()));
      }
    }
  }
  /// What a menu offers that opens at that place.
  void lookAtMenu(QWidget& on, QPoint at)
  {
    bool seen = false;
    QTimer::singleShot(0, &on, [this, &seen] {
      if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) {
        seen = true;
        lookAt(*menu);
        menu->close();
      }
    });
    QContextMenuEvent event(QContextMenuEvent::Mouse, at, on.mapToGlobal(at));
    QApplication::sendEvent(&on, &event);
    EXPECT_TRUE(seen);
  }
  std::string english() const
  {
    std::string all;
    for (const std::string& text : m_english)
      all += text + "\n";
    return all;
  }

  Accents m_accents;
  std::set<std::string> m_english;
};

}  // namespace

TEST_F(TranslationTest, AnEmptyWindowSpeaksTheLanguage)
{
  lookAt(window());
  EXPECT_EQ(english(), "");
  open(demoPath());  // no bus is there
  lookAt(window());
  EXPECT_EQ(english(), "");
}

TEST_F(TranslationTest, EveryPartOfTheWindowSpeaksTheLanguage)
{
  openWholeDemo();
  // The exchange that was not answered, a note on it, and a marker.
  window().ledgers().filter().setText(u"nack"_s);
  ASSERT_TRUE(waitIdle());
  ASSERT_TRUE(waitFor([this] { return rows().shownCount() > 0 && rows().shownCount() < 100; }));
  clickLedger(0);
  QTest::keyClick(&window().ledger(), Qt::Key_Right);
  QTest::keyClick(&window(), Qt::Key_M);
  QTest::keyClick(&window(), Qt::Key_2);
  lookAt(window());
  QTest::keyClick(&window(), Qt::Key_1);
  // Opened lines of each protocol.
  window().ledgers().filter().setText(QString());
  QTest::keyClick(&window(), Qt::Key_O);
  for (int bus = 0; bus < engine().busCount(); ++bus) {
    focus().select({streamId(bus, 0), 3});
    window().focus().zoomToSelection();
    QApplication::processEvents();
    lookAt(window());
  }
  openSettings(0);
  lookAt(window());
  lookAtMenu(*window().ledger().viewport(), QPoint(300, 40));
  lookAtMenu(*window().ledger().header().viewport(), QPoint(60, 8));
  lookAtMenu(*window().timeline().viewport(), QPoint(40, ui::kRulerHeight + 10));
  lookAtMenu(*window().timeline().viewport(), QPoint(300, ui::kRulerHeight + 10));
  EXPECT_EQ(english(), "");
}

TEST_F(TranslationTest, FiltersAreExplainedInTheLanguage)
{
  openDemo();
  for (const char* filter :
       {"read nack", "not (read or write)", "from nack address:2A", "byte0>=80 time:1s..2s", "length<3",
        "data:\"|A0 ?? *\"", "text:ok|", "error:nack,incomplete", "pause>10ms or lasts<=1us", "address!=2A",
        "address:zz", "nonsense", "(read", "read)", "address:", "error:nothing", "time:xs", "data:\"A\"", "2A"}) {
    window().ledgers().filter().setText(QString::fromLatin1(filter));
    ASSERT_TRUE(waitIdle());
    auto* says = window().findChild<QLabel*>(u"filterSays"_s);
    ASSERT_NE(says, nullptr);
    EXPECT_FALSE(says->text().isEmpty()) << filter;
    QString text = says->text();
    for (const QString& typed :
         QString::fromLatin1(filter).split(QRegularExpression(u"[^A-Za-z]+"_s), Qt::SkipEmptyParts))
      text.remove(typed);  // what was typed is said back
    look(text, QString::fromLatin1(filter));
  }
  EXPECT_EQ(english(), "");
}

TEST_F(TranslationTest, HelpAndTheListOfShortcutsSpeakTheLanguage)
{
  ui::FilterHelpDialog help(&window());
  lookAt(help);
  EXPECT_EQ(english(), "");
}

TEST_F(TranslationTest, WhatTheCoreSaysIsInTheListForTranslators)
{
  openWholeDemo();
  for (int bus = 0; bus < engine().busCount(); ++bus) {
    focus().select({streamId(bus, 0), 3});
    openSettings(bus);
    QApplication::processEvents();
  }
  ui::FilterHelpDialog help(&window());
  QProcess collect;
  collect.start(QStringLiteral(BEXTO_TEST_DATA "/../../tools/translations/collect.py"),
                {QStringLiteral(BEXTO_BIN "/bexto-words")});
  ASSERT_TRUE(collect.waitForFinished()) << collect.errorString().toStdString();
  const std::string list = collect.readAllStandardOutput().toStdString();
  const auto quoted = [](const std::string& text) {
    std::string out;
    for (const char c : text)
      out += (c == '"' || c == '\\' ? "\\" : "") + std::string(1, c);
    return "\"core\", \"" + out + "\")";
  };
  EXPECT_GT(m_accents.asked().size(), 100U);
  EXPECT_GT(m_accents.counts().size(), 5U);
  for (const std::string& text : m_accents.asked())
    EXPECT_NE(list.find("QT_TRANSLATE_NOOP(" + quoted(text)), std::string::npos) << text;
  for (const std::string& text : m_accents.counts())
    EXPECT_NE(list.find("QT_TRANSLATE_N_NOOP(" + quoted(text)), std::string::npos) << text;
}
