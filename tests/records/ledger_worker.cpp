// SPDX-License-Identifier: GPL-3.0-or-later
//
// A station that reserves units one after the other and writes down each that it was given. Its clock goes back all the
// time. ledger_worker STORE DEFINITION COUNT FILE
#include <fcntl.h>
#include <unistd.h>

#include <QUuid>
#include <cstdio>
#include <ctime>

#include "core/base/input_file.h"
#include "tests/records/ledger_world.h"

extern "C" time_t time(time_t* out) noexcept {
  static int calls = 0;
  timespec now{};
  ::clock_gettime(CLOCK_REALTIME, &now);
  const time_t shown = now.tv_sec - 3600 * (++calls % 50);
  if (out != nullptr) *out = shown;
  return shown;
}

int main(int argc, char** argv) {
  using namespace imprimo;
  if (argc != 5) return 2;
  const int file = ::open(argv[4], O_WRONLY | O_APPEND | O_CREAT, 0644);
  try {
    const units::ValueMaker maker(test::definitionOf(readTextFile(argv[2])), ".");
    records::Database database(records::parseStoreAddress(argv[1]));
    records::Ledger ledger(database, maker);
    for (int left = std::atoi(argv[3]); left > 0;) {
      try {
        for (const records::UnitRow& unit : ledger.reserve(1, {}, QUuid::createUuid().toString().toStdString())) {
          // One write, so that a line is there whole or not at all.
          const std::string line = std::to_string(unit.id) + " " + unit.fields.at("serial") + "\n";
          if (::write(file, line.data(), line.size()) != static_cast<ssize_t>(line.size())) return 5;
        }
        --left;
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::NoStore) throw;
        std::fprintf(stderr, "%s\n", e.what());
      }
    }
  } catch (const std::exception& e) {
    std::fprintf(stderr, "ledger_worker: %s\n", e.what());
    return 1;
  }
  return 0;
}
