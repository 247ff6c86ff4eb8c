// SPDX-License-Identifier: GPL-3.0-or-later
//
// The debug sequences' language: statements are carried out on something that gives back what was put there.
#include <cstdint>
#include <string>

#include "core/base/error.h"
#include "core/packs/sequence_run.h"

namespace {

class Cells : public imprimo::packs::SequenceTarget {
 public:
  std::uint32_t readPort(std::uint32_t, std::uint32_t address) override { return word(address); }
  void writePort(std::uint32_t, std::uint32_t address, std::uint32_t value) override { word(address) = value; }
  std::uint32_t readAccessPort(std::uint32_t, std::uint32_t address) override { return word(address); }
  void writeAccessPort(std::uint32_t, std::uint32_t address, std::uint32_t value) override { word(address) = value; }
  std::uint64_t readMemory(std::uint32_t, std::uint64_t address, unsigned) override {
    return word(static_cast<std::uint32_t>(address));
  }
  void writeMemory(std::uint32_t, std::uint64_t address, unsigned, std::uint64_t value) override {
    word(static_cast<std::uint32_t>(address)) = static_cast<std::uint32_t>(value);
  }
  void delay(std::uint64_t microseconds) override { now_ += microseconds; }
  std::uint32_t pins(std::uint32_t output, std::uint32_t, std::uint64_t) override { return output; }
  void bits(std::uint32_t, std::uint64_t) override {}
  std::uint64_t now() override { return now_ += 10; }
  bool standard(const std::string& name) override { return name == "ResetSystem"; }

 private:
  std::uint32_t& word(std::uint32_t address) { return words_[address % 16]; }
  std::uint32_t words_[16]{};
  std::uint64_t now_ = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  const std::string text(reinterpret_cast<const char*>(data), size);
  const std::size_t cut = std::min(text.find('\n'), text.size());
  packs::PackDevice device;
  packs::SequenceNode block, control;
  block.text = text.substr(std::min(cut + 1, text.size()));
  control.control = true;
  control.loop = text.substr(0, cut);
  control.timeout = 1000;
  control.nodes = {block};
  device.sequences = {{"first", "", "", false, {control, block}}};
  try {
    packs::sequenceWords(device.sequences.front(), "a.pdsc");
    Cells cells;
    packs::SequenceRun run(device, cells, {"a.pdsc", ""});
    run.run("first");
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
