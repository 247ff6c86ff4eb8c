// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/link_check.h"

#include "core/base/error.h"

namespace imprimo::flash {
namespace {

constexpr std::uint8_t kReadId = 0x9F, kReadSfdp = 0x5A;
constexpr std::size_t kIdBytes = 20, kHeaderBytes = 16;

void askFor(spi::SpiBatch& batch) {
  batch.exchange({kReadId}, kIdBytes);
  batch.exchange({kReadSfdp, 0, 0, 0, 0}, kHeaderBytes);
}

Bytes joined(const Bytes& a, const Bytes& b) {
  Bytes all = a;
  all.insert(all.end(), b.begin(), b.end());
  return all;
}

}  // namespace

Bytes readSignature(spi::SpiPort& port) {
  spi::SpiBatch batch;
  askFor(batch);
  const spi::SpiAnswers answers = port.run(batch);
  return joined(answers.answers.at(0), answers.answers.at(1));
}

int equalSignatures(spi::SpiPort& port, const Bytes& expected, int times) {
  spi::SpiBatch batch;
  for (int i = 0; i < times; ++i) askFor(batch);
  try {
    const spi::SpiAnswers answers = port.run(batch);
    int equal = 0;
    for (std::size_t i = 0; i + 1 < answers.answers.size(); i += 2) {
      equal += joined(answers.answers[i], answers.answers[i + 1]) == expected ? 1 : 0;
    }
    return equal;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::LinkLost) throw;
    return 0;
  }
}

}  // namespace imprimo::flash
