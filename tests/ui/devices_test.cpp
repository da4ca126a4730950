// Device sheets in the window: in the cards, the Ledger, the Devices and the Sheet page.
#include <QDir>
#include <QFile>
#include <QListWidget>
#include <QPushButton>
#include <QToolButton>
#include <QTreeView>

#include "core/device/sheet_file.h"
#include "rig/lock_cycle.h"
#include "support/answers.h"
#include "support/own_data_folder.h"
#include "support/window_fixture.h"
#include "ui/buses/bus_card.h"
#include "ui/buses/device_rows.h"
#include "ui/devices/devices_page.h"
#include "ui/devices/sheet_page.h"
#include "ui/page/yaml_edit.h"
#include "ui/query/filter_bar.h"
#include "ui/window/lower_area.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;

namespace {

class Devices : public WindowTest {
 protected:
  static std::string sheetOf(const std::string& name)
  {
    for (const rig::LockCycleSheet& sheet : rig::lockCycleSheets()) {
      if (sheet.name == name)
        return sheet.text;
    }
    return {};
  }
  QString folder() const { return m_data.filePath(u"bexto/sheets"_s); }
  /// Puts a sheet into the user's folder.
  void keepFile(const QString& name, const std::string& text)
  {
    ASSERT_TRUE(QDir().mkpath(folder()));
    QFile out(QDir(folder()).filePath(name));
    ASSERT_TRUE(out.open(QIODevice::WriteOnly));
    out.write(QByteArray::fromStdString(text));
  }
  void useSheet(int bus, const std::string& name)
  {
    Bus changed = session().value().buses.at(static_cast<std::size_t>(bus)).bus;
    attachSheet(changed, {name, sheetOf(name)});
    session().setSheets(id(bus), changed.sheets);
    ASSERT_TRUE(waitIdle());
    ASSERT_TRUE(waitFor([&] { return transactionsOf(bus).meaning() != nullptr; }));
  }
  QString sentence(int bus, std::uint64_t number)
  {
    return ui::toQString(sentenceOf(engine().bus(bus).shown, transactionsOf(bus), number).text());
  }
  ui::DeviceRows* rowsOf(int bus) { return editor(bus)->findChild<ui::DeviceRows*>(u"devices"_s); }
  static QStringList headsOf(const QAbstractItemModel& model)
  {
    QStringList heads;
    for (int column = 0; column < model.columnCount(); ++column)
      heads << model.headerData(column, Qt::Horizontal).toString();
    return heads;
  }
  QToolButton* button(QWidget* in, const QString& text)
  {
    for (QToolButton* const b : in->findChildren<QToolButton*>()) {
      if (b->text() == text && !b->isHidden() && b->parentWidget() != nullptr && !b->parentWidget()->isHidden())
        return b;
    }
    return nullptr;
  }

 private:
  OwnDataFolder m_data;
};

}  // namespace

TEST_F(Devices, ASheetChangesWhatIsSaidAndIsTakenBack)
{
  openDemo();
  const std::uint64_t frames = engine().bus(0).frameCount();
  EXPECT_TRUE(sentence(0, 0).startsWith(u"2A write 10"_s));
  useSheet(0, "LT-20.yaml");
  EXPECT_EQ(sentence(0, 0), u"LT-20 level = 95.899 m (ok)"_s);
  EXPECT_EQ(engine().bus(0).frameCount(), frames) << "nothing is decoded anew";
  session().undo();
  ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() == nullptr; }));
  EXPECT_TRUE(sentence(0, 0).startsWith(u"2A write 10"_s));
}

TEST_F(Devices, MessagesAreLinesAndTheirFaultsAreFound)
{
  openWholeDemo();
  const std::uint64_t before = engine().bus(2).faultCount();
  useSheet(2, "sonar.yaml");
  EXPECT_TRUE(sentence(2, 0).startsWith(u"sonar upper echo"_s)) << sentence(2, 0).toStdString();
  EXPECT_GE(engine().bus(2).faultCount(), before);
  const ui::StreamView& rx = engine().bus(2).streams[0];
  EXPECT_FALSE(rx.transactions.meaning()->faulty(0).empty());
  for (const std::uint32_t frame : rx.transactions.meaning()->faulty(0))
    EXPECT_TRUE(std::binary_search(rx.faulty.begin(), rx.faulty.end(), frame));
}

TEST_F(Devices, ARequestLeadsToItsAnswerAndBackAndOneWithoutIsAFault)
{
  openWholeDemo();
  const std::uint64_t before = engine().bus(2).faultCount();
  useSheet(2, "sonar.yaml");
  ASSERT_TRUE(waitFor([&] { return engine().bus(2).faultCount() > before; }));
  const ui::StreamView& tx = engine().bus(2).streams[1];
  std::uint64_t unanswered = 0;
  for (std::uint64_t i = 0; i < tx.transactions.size(); ++i) {
    const auto partner = tx.transactions.meaning()->partnerOf(tx.transactions.framesOf(i));
    unanswered += partner && partner->stream < 0 ? 1 : 0;
  }
  EXPECT_EQ(unanswered, 4U);
  EXPECT_EQ(tx.faulty.size(), 4U);
  focus().goTo(ui::selectionOf(streamId(2, 1), tx.transactions, 0));
  auto* const partner = window().anatomy().findChild<QToolButton*>(u"partner"_s);
  ASSERT_NE(partner, nullptr);
  EXPECT_TRUE(partner->text().startsWith(u"answered after"_s)) << partner->text().toStdString();
  QTest::mouseClick(partner, Qt::LeftButton);
  EXPECT_EQ(focus().selection().stream, streamId(2, 0));
  EXPECT_EQ(focus().selectedTransaction(), 0U);
  EXPECT_TRUE(partner->text().startsWith(u"answers after"_s));
  QTest::mouseClick(partner, Qt::LeftButton);
  EXPECT_EQ(focus().selection().stream, streamId(2, 1));
  window().ledger().setFocus();
  QTest::keyClick(&window().ledger(), Qt::Key_R);
  EXPECT_EQ(focus().selection().stream, streamId(2, 0));
}

TEST_F(Devices, ACardOffersWhatFitsAndUsesIt)
{
  keepFile(u"LT-20.yaml"_s, sheetOf("LT-20.yaml"));
  keepFile(u"drives.yaml"_s, sheetOf("drives.yaml"));
  keepFile(u"broken.yaml"_s, "sheet: 1\ndevice: x\n");
  workspace().sheets.look();
  EXPECT_EQ(workspace().sheets.found().size(), 3U);
  openDemo();
  openSettings(0);
  ASSERT_NE(rowsOf(0), nullptr);
  ASSERT_TRUE(waitFor([&] { return button(rowsOf(0), u"Use"_s) != nullptr; })) << "looked for in the background";
  EXPECT_EQ(rowsOf(0)->lines().size(), 1);
  EXPECT_TRUE(rowsOf(0)->lines().first().startsWith(u"LT-20, heard "_s));
  QTest::mouseClick(button(rowsOf(0), u"Use"_s), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() != nullptr; }));
  EXPECT_EQ(rowsOf(0)->lines(), QStringList{u"LT-20"_s});
  EXPECT_EQ(sentence(0, 0), u"LT-20 level = 95.899 m (ok)"_s);
  ASSERT_TRUE(waitFor([&] { return button(rowsOf(0), u"×"_s) != nullptr; }));
  QTest::mouseClick(button(rowsOf(0), u"×"_s), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() == nullptr; }));
  ASSERT_TRUE(waitFor([&] { return !rowsOf(0)->lines().isEmpty(); }));
  EXPECT_TRUE(rowsOf(0)->lines().first().startsWith(u"LT-20, heard "_s));
}

TEST_F(Devices, AFileThatChangesIsReadAgainInPlace)
{
  keepFile(u"LT-20.yaml"_s, sheetOf("LT-20.yaml"));
  workspace().sheets.look();
  openDemo();
  useSheet(0, "LT-20.yaml");
  openSettings(0);
  std::string text = sheetOf("LT-20.yaml");
  text.replace(text.find("device: LT-20"), 13, "device: LT-21");
  keepFile(u"LT-20.yaml"_s, text);
  ASSERT_TRUE(waitFor([&] { return sentence(0, 0).startsWith(u"LT-21"_s); })) << sentence(0, 0).toStdString();
  // With a mistake the bus keeps what it has, and the card says what is wrong.
  text.replace(text.find("address: 0x2A"), 13, "address: 0x2G");
  keepFile(u"LT-20.yaml"_s, text);
  ASSERT_TRUE(waitFor([&] { return rowsOf(0)->lines().size() == 2; }));
  EXPECT_TRUE(rowsOf(0)->lines().at(1).contains(u"LT-20.yaml, line 6: 'address' is '0x2G'"_s))
      << rowsOf(0)->lines().at(1).toStdString();
  EXPECT_TRUE(sentence(0, 0).startsWith(u"LT-21"_s));
}

TEST_F(Devices, WhatIsTypedInACardKeepsItsSheets)
{
  openDemo();
  openSettings(0);
  useSheet(0, "LT-20.yaml");
  auto* const name = editor(0)->findChild<QLineEdit*>(u"name"_s);
  name->setFocus();
  name->selectAll();
  QTest::keyClicks(name, u"levels"_s);
  ASSERT_TRUE(waitFor([&] { return session().value().buses[0].bus.name == "levels"; }));
  EXPECT_FALSE(session().value().buses[0].bus.sheets.empty());
}

TEST_F(Devices, AFileThatIsNoSheetIsRefusedInTheCard)
{
  openDemo();
  openSettings(0);
  rowsOf(0)->addFile(fileWith(u"bad.yaml"_s, "sheet: 1\ndevice: d\nbus: can\nmessages: {m: {id: 1}}\n"));
  EXPECT_TRUE(rowsOf(0)->lines().last().contains(u"it is for a bus of can"_s))
      << rowsOf(0)->lines().join(u'\n').toStdString();
  EXPECT_TRUE(session().value().buses[0].bus.sheets.empty());
}

TEST_F(Devices, FiltersAskForValues)
{
  openDemo();
  useSheet(0, "LT-20.yaml");
  QTest::keyClick(&window(), Qt::Key_F);
  QTest::keyClicks(QApplication::focusWidget(), u"state:stale"_s);
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() == 1; }));
  QTest::keyClick(QApplication::focusWidget(), Qt::Key_A, Qt::ControlModifier);
  QTest::keyClicks(QApplication::focusWidget(), u"level>98.1"_s);
  ASSERT_TRUE(waitFor([&] { return rows().shownCount() > 100; }));
}

TEST_F(Devices, ShowRegistersAtTheCursorAndWhatChangedSinceAMarker)
{
  openDemo();
  useSheet(0, "LT-20.yaml");
  QTest::keyClick(&window(), Qt::Key_3);
  ASSERT_EQ(window().lower().shown().key(), u"devices"_s);
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() == 2; }));
  focus().setCursor(Picoseconds{0});
  EXPECT_EQ(page.rows().index(1, ui::RegisterModel::Value).data().toString(), u"never seen"_s);
  focus().setCursor(Picoseconds{std::chrono::milliseconds{2}});
  EXPECT_EQ(page.rows().index(1, ui::RegisterModel::Value).data().toString(), u"95.899 m"_s);
  EXPECT_EQ(page.rows().index(1, ui::RegisterModel::How).data().toString(), u"read"_s);
  session().addMarker(Picoseconds{std::chrono::milliseconds{2}});
  focus().setCursor(Picoseconds{std::chrono::seconds{4}});
  EXPECT_EQ(page.rows().index(1, ui::RegisterModel::Value).data().toString(), u"● 98.107 m"_s);
  EXPECT_EQ(page.rows().index(0, ui::RegisterModel::Value).data().toString(), u"ok"_s) << "the same as then";
  EXPECT_TRUE(page.status().contains(u"changed since A"_s)) << page.status().toStdString();
}

TEST_F(Devices, SayHowLongAgo)
{
  openDemo();
  useSheet(0, "LT-20.yaml");
  QTest::keyClick(&window(), Qt::Key_3);
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() == 2; }));
  const auto since = [&] { return page.rows().index(1, ui::RegisterModel::Since).data().toString(); };
  focus().setCursor(Picoseconds{0});
  EXPECT_EQ(since(), QString());
  page.registers().setCurrentIndex(page.rows().index(1, 0));
  ASSERT_GT(page.history().rowCount(), 1);
  const Picoseconds first = transactionsOf(0).frames().frame(page.history().frameAt(0)).time.end;
  focus().setCursor(first);
  EXPECT_EQ(since(), u"just now"_s);
  focus().setCursor(first + Picoseconds{std::chrono::milliseconds{3}});
  EXPECT_EQ(since(), u"3.000 ms ago"_s);
}

TEST_F(Devices, ListEveryAccessAndGoToIt)
{
  openDemo();
  useSheet(0, "LT-20.yaml");
  QTest::keyClick(&window(), Qt::Key_3);
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() == 2; }));
  page.registers().setCurrentIndex(page.rows().index(1, 0));
  const int count = page.history().rowCount();
  ASSERT_GT(count, 2000);
  EXPECT_EQ(page.history().index(0, ui::AccessModel::Value).data().toString(), u"95.899 m"_s);
  focus().setCursor({});
  const QModelIndex tenth = page.history().index(9, 0);
  page.accesses().scrollTo(tenth);
  QTest::mouseClick(page.accesses().viewport(), Qt::LeftButton, {}, page.accesses().visualRect(tenth).center());
  ASSERT_TRUE(focus().selection().valid());
  EXPECT_EQ(focus().selection().frame, page.history().unitAt(9));
  EXPECT_EQ(page.accesses().currentIndex().row(), 9) << "the list stands at the access that made it so";
  EXPECT_EQ(headsOf(page.history()), (QStringList{u"When"_s, u"What was said"_s}));
  EXPECT_EQ(headsOf(page.rows()), (QStringList{u"Register or message"_s, u"Last seen"_s, u"When"_s, u"How"_s}));
}

TEST_F(Devices, FollowTheSelectionToItsDevice)
{
  openDemo();
  useSheet(0, "LT-20.yaml");
  useSheet(0, "PX-8.yaml");
  QTest::keyClick(&window(), Qt::Key_3);
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() == 2; }));
  focus().select(ui::selectionOf(streamId(0, 0), transactionsOf(0), 1));
  EXPECT_TRUE(page.choice().currentText().startsWith(u"PX-8"_s));
  ASSERT_TRUE(waitFor([&] { return page.rows().rowCount() > 5; }));
}

TEST_F(Devices, WithoutASheetSayWhatToDo)
{
  openDemo();
  QTest::keyClick(&window(), Qt::Key_3);
  auto* const button = window().devices().findChild<QPushButton*>(u"describeDevice"_s);
  ASSERT_NE(button, nullptr);
  ASSERT_TRUE(button->isVisible());
  QTest::mouseClick(button, Qt::LeftButton);
  EXPECT_NE(editor(0), nullptr) << "the settings of a bus are open, with its devices";
}

TEST_F(Devices, ASheetIsWrittenWithItsMistakesInPlace)
{
  openDemo();
  openSettings(0);
  QTest::mouseClick(rowsOf(0)->findChild<QToolButton*>(u"newSheet"_s), Qt::LeftButton);
  ASSERT_EQ(window().lower().shown().key(), u"sheet"_s);
  ui::SheetPage& page = window().sheet();
  ASSERT_TRUE(waitFor([&] { return !page.mistakes().isEmpty(); })) << "the skeleton has holes";
  EXPECT_FALSE(page.keepButton().isEnabled());
  page.text().setPlainText(u"sheet: 1\ndevice: LT-20\nbus: i2c\naddress: 0x2A\nregisters:\n  state: {att: 0x10}\n"_s);
  ASSERT_TRUE(waitFor([&] {
    return page.mistakes().join(u'\n').contains(u"line 6: a register has no key 'att'; did you mean at"_s);
  })) << page.mistakes().join(u'\n').toStdString();
  EXPECT_FALSE(page.text().extraSelections().isEmpty());
  page.text().setPlainText(u"sheet: 1\ndevice: LT-20\nbus: i2c\naddress: 0x2A\nregisters:\n  state: {at: 0x10}\n"_s);
  ASSERT_TRUE(waitFor([&] { return page.mistakes().isEmpty() && !page.readings().isEmpty(); }));
  EXPECT_TRUE(page.readings().first().contains(u"LT-20 state = 1, 0x11 = 7C 5F"_s))
      << page.readings().first().toStdString();
  EXPECT_EQ(transactionsOf(0).meaning(), nullptr) << "nothing changes until it is kept";
  QTest::mouseClick(&page.keepButton(), Qt::LeftButton);
  ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() != nullptr; }));
  EXPECT_TRUE(QFile::exists(QDir(folder()).filePath(u"LT-20.yaml"_s))) << page.status().toStdString();
  EXPECT_EQ(session().value().buses[0].bus.sheets.list().front().name, "LT-20.yaml");
}

TEST_F(Devices, WhatIsNotKeptStaysWithItsSheet)
{
  openDemo();
  useSheet(0, "LT-20.yaml");
  useSheet(0, "PX-8.yaml");
  ui::SheetPage& page = window().sheet();
  page.edit(id(0), u"LT-20.yaml"_s);
  page.text().insertPlainText(u"# mine\n"_s);
  page.edit(id(0), u"PX-8.yaml"_s);
  EXPECT_FALSE(page.text().toPlainText().contains(u"# mine"_s));
  page.edit(id(0), u"LT-20.yaml"_s);
  EXPECT_TRUE(page.text().toPlainText().startsWith(u"# mine"_s));
}

TEST_F(Devices, ANewLineGoesOnWhereTheOneBeforeBegan)
{
  openDemo();
  ui::SheetPage& page = window().sheet();
  page.edit(id(0), {});
  page.text().setPlainText(u"registers:\n  a:"_s);
  page.text().moveCursor(QTextCursor::End);
  QTest::keyClick(&page.text(), Qt::Key_Return);
  QTest::keyClicks(&page.text(), u"at: 1"_s);
  QTest::keyClick(&page.text(), Qt::Key_Return);
  QTest::keyClicks(&page.text(), u"hex: yes"_s);
  EXPECT_EQ(page.text().toPlainText(), u"registers:\n  a:\n    at: 1\n    hex: yes"_s);
}

TEST_F(Devices, AMemoryIsShownByteByByte)
{
  openDemo();
  useSheet(0, "EM-4.yaml");
  QTest::keyClick(&window(), Qt::Key_3);
  ui::DevicesPage& page = window().devices();
  ASSERT_TRUE(waitFor([&] { return page.history().rowCount() > 10; }));
  ASSERT_TRUE(page.memory().isVisible());
  EXPECT_EQ(page.memoryRows().rowCount(), 256);
  EXPECT_EQ(headsOf(page.memoryRows()), (QStringList{u"Address"_s, u"Last read or written"_s, u"Letters"_s}));
  focus().setCursor(Picoseconds{std::chrono::milliseconds{200}});
  const QModelIndex first = page.memoryRows().index(0x24, ui::MemoryModel::Bytes);
  EXPECT_EQ(first.data().toString(), u"53 73 FE 05 0C 13 1A 21 28 2F 36 3D 44 4B 52 59"_s);
  EXPECT_EQ(first.data(ui::MemoryModel::kHow).toString(), QString(16, u'w'));
  EXPECT_EQ(page.memoryRows().index(0x25, ui::MemoryModel::Bytes).data(ui::MemoryModel::kHow).toString(),
            QString(16, u' '))
      << "that page is written later";
  EXPECT_EQ(page.memoryRows().index(0x24, ui::MemoryModel::Address).data().toString(), u"0240"_s);
  EXPECT_EQ(page.history().index(0, ui::AccessModel::Value).data().toString().left(18), u"write to 0x0240: 5"_s);
  focus().setCursor({});
  QTest::mouseClick(page.accesses().viewport(), Qt::LeftButton, {},
                    page.accesses().visualRect(page.history().index(1, 0)).center());
  EXPECT_EQ(focus().selection().frame, page.history().frameAt(1));
}

TEST_F(Devices, ASheetComesFromAFileThatIsChosen)
{
  openDemo();
  openSettings(0);
  const QString path = fileWith(u"mine.yaml"_s, sheetOf("LT-20.yaml"));
  const auto choose = [&](const QString& name) {
    return answered<QFileDialog>([&] { rowsOf(0)->findChild<QToolButton*>(u"sheetFromFile"_s)->click(); },
                                 [&](QFileDialog& dialog) {
                                   EXPECT_EQ(dialog.windowTitle(), u"Device sheet"_s);
                                   name.isEmpty() ? dialog.reject() : chooseFile(dialog, name);
                                 });
  };
  EXPECT_TRUE(choose({}));
  EXPECT_TRUE(session().value().buses[0].bus.sheets.empty());
  EXPECT_TRUE(choose(path));
  ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() != nullptr; }));
  EXPECT_EQ(session().value().buses[0].bus.sheets.list().front().name, "mine.yaml");
}

TEST_F(Devices, ASheetForAnotherKindOfBusIsNotKept)
{
  openDemo();
  ui::SheetPage& page = window().sheet();
  page.edit(id(0), {});
  page.text().setPlainText(ui::toQString(sheetOf("drives.yaml")));
  ASSERT_TRUE(waitFor([&] { return page.status() == u"It is for a bus of can, and this one is of i2c"_s; }))
      << page.status().toStdString();
  EXPECT_FALSE(page.keepButton().isEnabled());
}

TEST_F(Devices, AFileThatIsThereAlreadyIsNotReplaced)
{
  keepFile(u"LT-20.yaml"_s, sheetOf("LT-20.yaml"));
  workspace().sheets.look();
  openDemo();
  ui::SheetPage& page = window().sheet();
  page.edit(id(0), {});
  const QString text = u"sheet: 1\ndevice: LT-20\nbus: i2c\naddress: 0x2A\nregisters:\n  state: {at: 0x10}\n"_s;
  page.text().setPlainText(text);
  ASSERT_TRUE(waitFor([&] { return page.keepButton().isEnabled(); }));
  page.keepButton().click();
  EXPECT_TRUE(page.status().endsWith(u"LT-20.yaml is there already; give the device another name"_s))
      << page.status().toStdString();
  QFile there(QDir(folder()).filePath(u"LT-20.yaml"_s));
  ASSERT_TRUE(there.open(QIODevice::ReadOnly));
  EXPECT_EQ(there.readAll().toStdString(), sheetOf("LT-20.yaml"));
  EXPECT_TRUE(session().value().buses[0].bus.sheets.empty());
  QString other = text;
  page.text().setPlainText(other.replace(u"LT-20"_s, u"LT 21/b"_s));
  ASSERT_TRUE(waitFor([&] { return page.keepButton().isEnabled(); }));
  page.keepButton().click();
  EXPECT_TRUE(QFile::exists(QDir(folder()).filePath(u"LT_21_b.yaml"_s))) << page.status().toStdString();
}

TEST_F(Devices, WhatCannotBeWrittenIsUsedAllTheSame)
{
  ASSERT_TRUE(QDir().mkpath(QFileInfo(folder()).path()));
  QFile(folder()).open(QIODevice::WriteOnly);  // a file where the folder should be
  openDemo();
  ui::SheetPage& page = window().sheet();
  page.edit(id(0), {});
  page.text().setPlainText(ui::toQString(sheetOf("LT-20.yaml")));
  ASSERT_TRUE(waitFor([&] { return page.keepButton().isEnabled(); }));
  page.keepButton().click();
  EXPECT_TRUE(page.status().startsWith(u"Used, and not written: "_s)) << page.status().toStdString();
  ASSERT_TRUE(waitFor([&] { return transactionsOf(0).meaning() != nullptr; }));
}

TEST_F(Devices, ANewSheetBeginsAsItsBusTalks)
{
  openWholeDemo();
  ui::SheetPage& page = window().sheet();
  const std::vector<std::pair<int, QString>> wanted{{0, u"bus: i2c\naddress: \nregisters:"_s},
                                                    {1, u"bus: uart\nframing: {end: \"\\r\\n\"}\nmessages:"_s},
                                                    {3, u"bus: spi\ncommands:\n  read_id:\n    opcode: 0x9F"_s},
                                                    {5, u"bus: can\nmessages:\n  state:\n    id: \n"_s}};
  for (const auto& [bus, begin] : wanted) {
    page.edit(id(bus), {});
    EXPECT_TRUE(page.text().toPlainText().startsWith(u"sheet: 1\ndevice: \nabout: \n"_s + begin))
        << page.text().toPlainText().toStdString();
    EXPECT_TRUE(waitFor([&] { return !page.mistakes().isEmpty(); })) << "a name is missing";
  }
}

TEST_F(Devices, AMistakeLeadsToItsLine)
{
  openDemo();
  ui::SheetPage& page = window().sheet();
  page.edit(id(0), {});
  page.text().setPlainText(u"sheet: 1\ndevice: LT-20\nbus: i2c\naddress: 0x2A\nregisters:\n  state: {att: 0x10}\n"_s);
  QListWidget* list = nullptr;
  ASSERT_TRUE(waitFor([&] {
    for (QListWidget* const one : page.findChildren<QListWidget*>())
      list = one->findItems(u"no key 'att'"_s, Qt::MatchContains).isEmpty() ? list : one;
    return list != nullptr;
  })) << page.mistakes().join(u'|').toStdString();
  QListWidgetItem* const mistake = list->findItems(u"no key 'att'"_s, Qt::MatchContains).constFirst();
  EXPECT_EQ(mistake->toolTip(), mistake->text()) << "it may be longer than the list is wide";
  Q_EMIT list->itemClicked(mistake);
  EXPECT_EQ(page.text().textCursor().blockNumber(), 5);
  EXPECT_EQ(page.text().textCursor().positionInBlock(), 10) << "at the word itself";
}
