#include "app/words/words.h"

#include "words/words.h"

#include <QApplication>
#include <QLocale>
#include <QTranslator>

/// Q_INIT_RESOURCE must stand outside of namespaces.
static void initCatalogues() {
  Q_INIT_RESOURCE(catalogues);
}

namespace ivrin::app {

void loadWords() {
  initCatalogues(); // they lie in a static library
  setTranslator([](std::string_view english) {
    return QCoreApplication::translate("core", QByteArray(english.data(), static_cast<qsizetype>(english.size())))
        .toStdString();
  });
  // The later one is asked first: plurals of English stand behind whatever the desktop's language has not.
  for (const QString& language : {QStringLiteral("en"), QLocale().name()}) {
    auto* words = new QTranslator(qApp);
    if (words->load(QStringLiteral(":/words/ivrin_") + language))
      QCoreApplication::installTranslator(words);
    else
      delete words;
  }
}

} // namespace ivrin::app
