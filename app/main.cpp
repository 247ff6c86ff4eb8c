// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QTextStream>

#include "app/demo_bench.h"
#include "app/main_window.h"

int main(int argc, char** argv) {
  QApplication application(argc, argv);
  QApplication::setOrganizationName("imprimo");
  QApplication::setApplicationName("imprimo");
  QApplication::setStyle("Fusion");
  QCommandLineParser line;
  line.setApplicationDescription("Loads firmware and bitstreams through debug probes.");
  line.addHelpOption();
  line.addPositionalArgument("SHEET", "the job sheet to open", "[SHEET]");
  const QCommandLineOption probe("probe", "Connect to this probe.", "ADDRESS");
  const QCommandLineOption demo("demo", "Open the river gauge from this folder, with a simulated bench.", "FOLDER");
  line.addOptions({probe, demo});
  line.process(application);

  std::unique_ptr<imprimo::app::DemoBench> bench;
  imprimo::app::MainWindow window;
  QString sheet = line.positionalArguments().value(0);
  QString address = line.value(probe);
  try {
    if (line.isSet(demo)) {
      bench = std::make_unique<imprimo::app::DemoBench>((line.value(demo) + "/bench.json").toStdString(), true);
      sheet = line.value(demo) + "/gauge-rev-b.imprimo";
      address = QString::fromStdString(bench->address());
    }
  } catch (const imprimo::Error& e) {
    QTextStream(stderr) << "imprimo: " << QString::fromStdString(e.full()) << "\n";
    return 2;
  }
  window.show();
  if (!sheet.isEmpty() && window.bench().openSheet(sheet) && !address.isEmpty()) window.bench().connectTo(address);
  return QApplication::exec();
}
