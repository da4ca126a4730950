#include "ui/text/translation.h"

#include <QCoreApplication>
#include <QLibraryInfo>
#include <QLocale>
#include <QStandardPaths>
#include <QTranslator>

#include "ui/text/text.h"

namespace bexto::ui {

void translateTheCore()
{
  setTranslation([](std::string_view english, int count) {
    const QByteArray key(english.data(), static_cast<qsizetype>(english.size()));
    const QString text = QCoreApplication::translate("core", key.constData(), nullptr, count);
    // What comes back as it was is not translated: then the core has the right form for one and for several.
    return text == QString::fromUtf8(key) ? std::string() : text.toStdString();
  });
}

bool useLanguage(const QLocale& locale)
{
  const QStringList folders = QStandardPaths::locateAll(
      QStandardPaths::GenericDataLocation, QStringLiteral("bexto/translations"), QStandardPaths::LocateDirectory);
  const auto load = [&](const QString& name, const QString& folder) {
    auto* translator = new QTranslator(qApp);
    if (!translator->load(locale, name, QStringLiteral("_"), folder) ||
        !QCoreApplication::installTranslator(translator)) {
      delete translator;
      return false;
    }
    return true;
  };
  load(QStringLiteral("qtbase"), QLibraryInfo::path(QLibraryInfo::TranslationsPath));
  for (const QString& folder : folders) {
    if (load(QStringLiteral("bexto"), folder)) {
      translateTheCore();
      return true;
    }
  }
  return false;
}

}  // namespace bexto::ui
