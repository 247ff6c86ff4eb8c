// SPDX-License-Identifier: GPL-3.0-or-later
//
// Out of the header, so that whoever only names a batch does not compile its variant.
#include "core/spi/spi_batch.h"

namespace imprimo::spi {

std::string SpiPort::whySilent() {
  return "Check the bridge's pins, the flash's supply, and that nobody else drives its chip select.";
}

SpiBatch::SpiBatch() = default;
SpiBatch::SpiBatch(const SpiBatch&) = default;
SpiBatch::SpiBatch(SpiBatch&&) noexcept = default;
SpiBatch& SpiBatch::operator=(const SpiBatch&) = default;
SpiBatch& SpiBatch::operator=(SpiBatch&&) noexcept = default;
SpiBatch::~SpiBatch() = default;

std::size_t SpiBatch::exchange(Bytes out, std::size_t read, Lines lines) {
  return add(Exchange{std::move(out), read, {}, lines});
}

std::size_t SpiBatch::expectAnswer(Bytes out, Bytes answer) {
  const std::size_t read = answer.size();
  return add(Exchange{std::move(out), read, std::move(answer), {}});
}

std::size_t SpiBatch::guard(Guard guard) {
  return add(guard);
}

std::size_t SpiBatch::wait(Wait wait) {
  return add(wait);
}

std::size_t SpiBatch::expect(Expect expect) {
  return add(expect);
}

std::size_t SpiBatch::add(SpiItem item) {
  items_.push_back(std::move(item));
  return items_.size() - 1;
}

}  // namespace imprimo::spi
