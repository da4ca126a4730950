// What the desktop asks for: dark, strong contrast, larger text.
#include "ui/theme/desktop.h"

#include <QDBusMessage>
#include <QDBusMetaType>
#include <QDBusServer>
#include <QDBusVariant>
#include <QDBusVirtualObject>

#include "support/window_fixture.h"

using namespace bexto;
using namespace bexto::test;
using namespace Qt::StringLiterals;
using ui::Desktop;
using ui::DesktopLook;

namespace {

const QString kPath = u"/org/freedesktop/portal/desktop"_s;
const QString kInterface = u"org.freedesktop.portal.Settings"_s;
const QString kAppearance = u"org.freedesktop.appearance"_s;

/// A settings portal, spoken to from peer to peer.
class Portal : public QDBusVirtualObject {
 public:
  Portal()
  {
    m_server.setAnonymousAuthenticationAllowed(true);
    connect(&m_server, &QDBusServer::newConnection, this, [this](const QDBusConnection& connection) {
      m_client = connection.name();
      QDBusConnection(connection).registerVirtualObject(kPath, this);
    });
    qDBusRegisterMetaType<QMap<QString, QVariantMap>>();
  }
  ~Portal() override { QDBusConnection::disconnectFromPeer(kName); }
  QDBusConnection connection() { return QDBusConnection::connectToPeer(m_server.address(), kName); }

  QString introspect(const QString& /*path*/) const override { return {}; }
  bool handleMessage(const QDBusMessage& message, const QDBusConnection& connection) override
  {
    if (message.interface() != kInterface || message.member() != u"ReadAll"_s)
      return false;
    ++m_asked;
    return connection.send(
        message.createReply(QVariant::fromValue(QMap<QString, QVariantMap>{{kAppearance, m_settings}})));
  }
  void change(const QString& key, uint value)
  {
    QDBusMessage signal = QDBusMessage::createSignal(kPath, kInterface, u"SettingChanged"_s);
    signal << kAppearance << key << QVariant::fromValue(QDBusVariant(value));
    QDBusConnection(m_client).send(signal);
  }

  QVariantMap m_settings;
  int m_asked = 0;

 private:
  static inline const QString kName = u"portal-under-test"_s;
  QDBusServer m_server{u"unix:tmpdir=/tmp"_s};
  QString m_client;
};

class DesktopWindow : public WindowTest {
 protected:
  void TearDown() override
  {
    ui::theme().setTextSize(0);
    ui::theme().setHighContrast(false);
    ui::theme().follow({});
    ui::theme().apply(ui::ThemeMode::Light);
    WindowTest::TearDown();
  }
};

}  // namespace

TEST(DesktopLookTest, APaletteSaysDarkAndOnlyBlackAndWhiteSayContrast)
{
  QPalette palette;
  palette.setColor(QPalette::Window, QColor(0xefefef));
  palette.setColor(QPalette::WindowText, Qt::black);
  EXPECT_EQ(Desktop::lookOf(palette), DesktopLook());
  palette.setColor(QPalette::Window, Qt::white);
  EXPECT_TRUE(Desktop::lookOf(palette).highContrast);
  EXPECT_FALSE(Desktop::lookOf(palette).dark);
  palette.setColor(QPalette::Window, QColor(0x202020));
  palette.setColor(QPalette::WindowText, Qt::white);
  EXPECT_TRUE(Desktop::lookOf(palette).dark);
  EXPECT_FALSE(Desktop::lookOf(palette).highContrast);
  palette.setColor(QPalette::Window, Qt::black);
  EXPECT_TRUE(Desktop::lookOf(palette).highContrast);
}

TEST(DesktopLookTest, ThePortalIsAskedAndItsChangesAreFollowed)
{
  Portal portal;
  portal.m_settings = {{u"color-scheme"_s, 1U}, {u"contrast"_s, 0U}, {u"accent-color"_s, 7U}};
  Desktop desktop(portal.connection(), {});
  int changes = 0;
  QObject::connect(&desktop, &Desktop::changed, [&changes] { ++changes; });
  ASSERT_TRUE(QTest::qWaitFor([&] { return desktop.look().dark; }));
  EXPECT_FALSE(desktop.look().highContrast);
  EXPECT_EQ(portal.m_asked, 1);
  EXPECT_EQ(changes, 1);
  portal.change(u"contrast"_s, 1);
  ASSERT_TRUE(QTest::qWaitFor([&] { return desktop.look().highContrast; }));
  EXPECT_TRUE(desktop.look().dark);
  portal.change(u"color-scheme"_s, 2);
  ASSERT_TRUE(QTest::qWaitFor([&] { return !desktop.look().dark; }));
  EXPECT_EQ(changes, 3);
  portal.change(u"color-scheme"_s, 0);  // says nothing new
  portal.change(u"unknown"_s, 1);
  portal.change(u"contrast"_s, 0);
  ASSERT_TRUE(QTest::qWaitFor([&] { return !desktop.look().highContrast; }));
  EXPECT_EQ(changes, 4);
}

TEST(DesktopLookTest, WithoutAPortalThePaletteStays)
{
  Desktop desktop(QDBusConnection(u"nothing"_s), {});
  EXPECT_FALSE(desktop.look().dark);
  EXPECT_GT(desktop.look().textPixels, 0.0);
}

TEST_F(DesktopWindow, FollowsTheDesktopWhenItAsksForDark)
{
  openDemo();
  ui::theme().apply(ui::ThemeMode::System);
  const QColor light = window().grab().toImage().pixelColor(300, 790);
  ui::theme().follow({true, false, 0.0});
  EXPECT_TRUE(ui::theme().isDark());
  EXPECT_LT(window().grab().toImage().pixelColor(300, 790).lightness(), 60);
  EXPECT_GT(light.lightness(), 200);
  ui::theme().apply(ui::ThemeMode::Light);  // who chose for themselves is asked no more
  ui::theme().follow({true, true, 0.0});
  EXPECT_FALSE(ui::theme().isDark());
  EXPECT_TRUE(ui::theme().isHighContrast());
  EXPECT_EQ(ui::theme().colours().ink, QColor(Qt::black));
}

TEST_F(DesktopWindow, LargerTextMakesRoomForItselfAndComesBack)
{
  openDemo();
  clickLedger(3);
  ui::LedgerView& ledger = window().ledger();
  const QRect row = ledger.lineRect({3, 0});
  const int lane = window().timeline().lanes().at(0).height;
  const int column = ledger.header().rectOf(LedgerColumn::Time, 0, 1).width();
  const int overview = window().overview().sizeHint().height();
  const QFont label = window().findChild<QLabel*>(u"ledgerCount"_s)->font();

  // Twice as large as desktops have it.
  ui::theme().follow({false, false, 2.0 * 11.0 * 96.0 / 72.0});
  QApplication::processEvents();
  EXPECT_EQ(ui::theme().scale(), 2.0);
  EXPECT_EQ(ledger.lineRect(ledger.current()).height(), 2 * row.height());
  EXPECT_EQ(window().timeline().lanes().at(0).height, 2 * lane);
  EXPECT_EQ(ledger.header().rectOf(LedgerColumn::Time, 0, 1).width(), 2 * column);
  EXPECT_GT(window().overview().sizeHint().height(), overview);
  EXPECT_EQ(window().findChild<QLabel*>(u"ledgerCount"_s)->font().pixelSize(), 2 * label.pixelSize());
  EXPECT_EQ(focus().axis().width(), window().timeline().viewport()->width() - 2 * ui::kLaneHeader);
  // A click still hits what is under it.
  clickLedger(1);
  EXPECT_EQ(ledger.current().row, 1U);
  // What is arranged meanwhile is kept in lengths of the design.
  LaneArrangement lanes = session().value().lanes;
  lanes.setHeight(window().timeline().lanes().at(0).key, 100);
  session().setLanes(u"height"_s, lanes);
  EXPECT_EQ(window().timeline().lanes().at(0).height, 200);

  ui::theme().setTextSize(100);
  QApplication::processEvents();
  EXPECT_EQ(ledger.lineRect(ledger.current()).height(), row.height());
  EXPECT_EQ(window().timeline().lanes().at(0).height, 100);
  EXPECT_EQ(ledger.header().rectOf(LedgerColumn::Time, 0, 1).width(), column);
  EXPECT_EQ(window().overview().sizeHint().height(), overview);
}

TEST_F(DesktopWindow, TextIsNeverSmallerThanTheDesignNorEndlesslyLarge)
{
  ui::theme().follow({false, false, 9.0});
  EXPECT_EQ(ui::theme().scale(), 1.0);
  ui::theme().follow({false, false, 500.0});
  EXPECT_EQ(ui::theme().scale(), 2.5);
  ui::theme().setTextSize(125);  // what is chosen counts more
  EXPECT_EQ(ui::theme().scale(), 1.25);
  EXPECT_EQ(ui::px(100), 125);
  EXPECT_EQ(ui::theme().atDesign(ui::px(37)), 37);
}

TEST_F(DesktopWindow, AtTwiceTheSizeTheWindowStillFitsTheScreenItFittedBefore)
{
  openWholeDemo();
  clickLedger(2);
  ui::theme().setTextSize(200);
  QApplication::processEvents();
  EXPECT_LE(window().minimumSizeHint().width(), 1280);
  EXPECT_LE(window().minimumSizeHint().height(), 800);
}
