// Sockets and event loops in threads want an application, though it does nothing.
#include <QCoreApplication>

int main(int argc, char** argv)
{
  testing::InitGoogleTest(&argc, argv);
  const QCoreApplication application(argc, argv);
  return RUN_ALL_TESTS();
}
