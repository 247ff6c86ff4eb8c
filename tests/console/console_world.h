// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDir>
#include <QProcess>
#include <QTemporaryDir>

#include "core/base/input_file.h"
#include "core/bench/cores/core_console.h"
#include "tests/support/core_world.h"

namespace imprimo::test {

/// What a program said and did; empty where it ended well and said nothing.
inline QString runTool(const QString& program, const QStringList& arguments) {
  QProcess process;
  process.setProcessChannelMode(QProcess::MergedChannels);
  process.start(program, arguments);
  if (!process.waitForFinished(60'000)) return program + " does not run: " + process.errorString();
  const QString said = process.readAll();
  return process.exitCode() == 0 ? said : program + " failed: " + said;
}

/// The firmware of these tests, for a core of ARMv6-M.
inline Bytes consoleFirmware(const char* how, const QStringList& defines = {}) {
  QTemporaryDir folder;
  const QString source = IMPRIMO_SOURCE, object = folder.filePath("f.o"), elf = folder.filePath("f.elf"),
                image = folder.filePath("f.bin");
  QStringList flags{"--target=thumbv6m-none-eabi",
                    "-mcpu=cortex-m0",
                    "-std=c99",
                    "-Os",
                    "-ffreestanding",
                    "-fno-builtin",
                    "-Wall",
                    "-Wextra",
                    "-pedantic",
                    "-Werror",
                    "-I" + source,
                    QString("-DHOW=") + how};
  for (const QString& define : defines) flags += "-D" + define;
  QString said = runTool("clang", flags + QStringList{"-c", source + "/tests/console/firmware.c", "-o", object});
  said += runTool("arm-none-eabi-ld", {"-T", source + "/tests/console/firmware.ld", object, "-o", elf});
  said += runTool("arm-none-eabi-objcopy", {"-O", "binary", "-j", ".text", elf, image});
  if (!said.isEmpty()) qWarning("%s", qPrintable(said));
  return readFile(image.toStdString());
}

/// A bench whose core runs it.
struct ConsoleWorld : CoreWorld {
  explicit ConsoleWorld(const Bytes& code, CoreWorldOptions options = {}) : CoreWorld(withRam(std::move(options))) {
    load(code);
  }
  static CoreWorldOptions withRam(CoreWorldOptions options) {
    options.coreKeys += R"(, "connect": "running")";
    return options;
  }
  void load(const Bytes& code) {
    std::copy(code.begin(), code.end(), chip().flash().begin());
    chip().core().reset(false);
  }
  /// All that a source says within `seconds` of the target's time.
  Bytes hear(console::Source& source, double seconds) {
    Bytes all;
    bench::BenchCore& core = bench().core("core");
    const auto end = core.now() + std::chrono::nanoseconds(static_cast<std::int64_t>(seconds * 1e9));
    while (core.now() < end) {
      for (console::Heard& heard : source.hear()) {
        all.insert(all.end(), heard.bytes.begin(), heard.bytes.end());
        lost += heard.lost;
        begun += heard.began ? 1 : 0;
        heardAll.push_back(std::move(heard));
      }
      core.pass(std::chrono::milliseconds(1));
    }
    return all;
  }
  std::uint64_t lost = 0;
  int begun = 0;
  std::vector<console::Heard> heardAll;
};

inline std::string textOf(const Bytes& bytes) {
  return {bytes.begin(), bytes.end()};
}

}  // namespace imprimo::test
