// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/open_bench.h"

#include "core/store/holder.h"
#include "core/store/user_library.h"

namespace imprimo::store {

namespace {

probe::ProbeOptions probeOptions(const sheet::Sheet& sheet, const BenchSetup& setup) {
  probe::ProbeOptions options = setup.probe;
  if (sheet.onlySwd()) options.wires = probe::Wires::Swd;
  return options;
}

}  // namespace

std::unique_ptr<bench::Bench> openBench(const sheet::Sheet& sheet, const BenchSetup& setup) {
  const auto holder = std::make_shared<Holder>("probe " + setup.address, setup.program);
  const auto open = [=, address = setup.address, options = probeOptions(sheet, setup), system = setup.system] {
    return openHeld(*holder, [&] { return probe::openProbe(address, options, system); });
  };
  auto bench = std::make_unique<bench::Bench>(sheet, open());
  bench->setReopen(open);
  bench->setFinders({[more = setup.libraries](const flash::FlashId& id) { return findPartCard(id, more); },
                     [more = setup.libraries](const std::string& entity) { return findConfigCard(entity, more); },
                     setup.serial});
  return bench;
}

}  // namespace imprimo::store
