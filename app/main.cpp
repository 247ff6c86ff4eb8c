// SPDX-License-Identifier: GPL-3.0-or-later
#include <unistd.h>

#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QTextStream>
#include <QUrl>

#include "app/session/help_words.h"
#include "app/shell/demo_bench.h"
#include "app/shell/look_choice.h"
#include "app/shell/main_window.h"
#include "app/shell/quit_signals.h"
#include "app/shell/sheet_instance.h"
#include "app/views.h"
#include "core/about/about.h"
#include "records/store_address.h"

namespace {

constexpr const char* kUsage =
    "Usage: imprimo [options] [SHEET]\n"
    "Loads firmware and bitstreams through debug probes.\n"
    "\n"
    "Options:\n"
    "  -h, --help         show this help\n"
    "  --version          show the version\n"
    "  --probe ADDRESS    connect to this probe\n"
    "  --store STORE      records and numbers: sqlite:FILE or postgresql:CONNECTION\n"
    "  --demo FOLDER      open the river gauge from this folder, with a simulated bench\n";

int refuse(const QString& what) {
  QTextStream(stderr) << "imprimo: " << what << "\n\n" << kUsage;
  return 2;
}

/// Answers that need no display. False where the window is wanted.
bool answered(int argc, char** argv) {
  for (int i = 1; i < argc; ++i) {
    const QString word = QString::fromLocal8Bit(argv[i]);
    if (word == "-h" || word == "--help") {
      QTextStream(stdout) << kUsage;
    } else if (word == "--version") {
      QTextStream(stdout) << QString::fromStdString(imprimo::aboutText("imprimo", {{"Qt", qVersion()}})) << "\n";
    } else {
      continue;
    }
    return true;
  }
  return false;
}

constexpr const char* kScaleKey = "QT_SCALE_FACTOR";  // Qt reads it once, when the application is made

void scaleBy(double scale) {
  qputenv(kScaleKey, QByteArray::number(scale));
}

}  // namespace

int main(int argc, char** argv) {
  if (answered(argc, argv)) return std::fflush(stdout) == 0 ? 0 : 5;
  const bool scaleIsSet = qEnvironmentVariableIsSet(kScaleKey);
  const double chosen = imprimo::app::chosenScale(QSettings("imprimo", "imprimo"));
  if (!scaleIsSet && chosen > 0) scaleBy(chosen);
  QApplication application(argc, argv);
  QApplication::setOrganizationName("imprimo");
  QApplication::setApplicationName("imprimo");
  if (const double wish = imprimo::app::desktopScale(); !scaleIsSet && chosen <= 0 && wish != 1) {
    // What the desktop wishes is known only now: once more, with it. Where that cannot be, it is as large as usual.
    scaleBy(wish);
    execv("/proc/self/exe", argv);
    qunsetenv(kScaleKey);
  }
  QApplication::setStyle("Fusion");
  QCommandLineParser line;
  line.addPositionalArgument("SHEET", {});
  const QCommandLineOption probe("probe", {}, "ADDRESS"), store("store", {}, "STORE"), demo("demo", {}, "FOLDER");
  line.addOptions({probe, store, demo});
  if (!line.parse(QApplication::arguments())) {
    const QString unknown = line.unknownOptionNames().value(0);
    return refuse(unknown.isEmpty()
                      ? QString("an option needs a value")
                      : QString("there is no option '%1%2'").arg(unknown.size() > 1 ? "--" : "-", unknown));
  }
  if (line.positionalArguments().size() > 1)
    return refuse(QString("one sheet can be opened, '%1' is one too many").arg(line.positionalArguments().at(1)));

  if (line.isSet(store)) {
    try {
      // For all of this program, as if it had been said to its environment.
      static_cast<void>(imprimo::records::parseStoreAddress(line.value(store).toStdString()));
      qputenv("IMPRIMO_STORE", line.value(store).toUtf8());
    } catch (const imprimo::Error& e) {
      return refuse(imprimo::app::told(e));
    }
  }
  if (imprimo::app::SheetInstance::bringOther(line.positionalArguments().value(0))) return 0;
  QApplication::setWindowIcon(QIcon(":/icons/imprimo-48.png"));
  QApplication::setDesktopFileName("imprimo");
  std::unique_ptr<imprimo::app::DemoBench> bench;
  imprimo::app::MainWindow window(imprimo::app::viewTable());
  window.fitScreen();
  QString sheet = line.positionalArguments().value(0);
  QString address = line.value(probe);
  try {
    if (line.isSet(demo)) {
      bench = std::make_unique<imprimo::app::DemoBench>((line.value(demo) + "/bench.json").toStdString(), true);
      sheet = line.value(demo) + "/gauge-rev-b.imprimo";
      address = QString::fromStdString(bench->address());
    }
  } catch (const imprimo::Error& e) {
    QTextStream(stderr) << "imprimo: " << imprimo::app::told(e) << "\n";
    return 2;
  }
  imprimo::app::QuitSignals quit;
  QObject::connect(&quit, &imprimo::app::QuitSignals::asked, &window, &imprimo::app::MainWindow::leave);
  QObject::connect(&window, &imprimo::app::MainWindow::ended, &application, [] { QApplication::exit(0); });
  window.show();
  if (sheet.startsWith("file:")) sheet = QUrl(sheet).toLocalFile();
  if (!sheet.isEmpty() && !window.handedOver(sheet) && window.bench().keeping().open(sheet) && !address.isEmpty())
    window.bench().link().connectTo(address);
  window.offerKept();
  return QApplication::exec();
}
