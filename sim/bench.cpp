// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/bench.h"

#include <fmt/format.h>

#include "core/base/json.h"

namespace imprimo::sim {

Bench::Bench(ProbeModel probe, std::unique_ptr<Board> board, MpsseWiring wiring)
    : board_(std::move(board)), engine_(std::move(probe), *board_), mpsse_(*board_, wiring) {}

std::optional<std::vector<Bytes>> Bench::process(ByteSpan packet) {
  const std::uint64_t number = packets_++;
  if (dropAt_ && number >= *dropAt_) return std::nullopt;
  std::vector<Bytes> responses;
  if (refuseAt_ && number == *refuseAt_) {
    responses.push_back({0xFF});
  } else {
    responses = engine_.process(packet);
  }
  if (shortAt_ && number == *shortAt_ && !responses.empty()) responses.back().resize(responses.back().size() / 2 + 1);
  return responses;
}

bool Bench::streamIn(ByteSpan commands) {
  const std::uint64_t number = packets_++;
  if (dropAt_ && number >= *dropAt_) return false;
  const std::size_t before = mpsse_.answers();
  mpsse_.input(commands);
  const std::size_t said = mpsse_.answers() - before;
  if (refuseAt_ && number == *refuseAt_ && said > 0)
    mpsse_.spoil(before, {0xFA, commands.empty() ? std::uint8_t{0} : commands[0]});
  if (shortAt_ && number == *shortAt_) mpsse_.spoil(before + said / 2, {});
  return true;
}

std::optional<Bytes> Bench::stream(ByteSpan commands) {
  if (!streamIn(commands)) return std::nullopt;
  Bytes said;
  while (mpsse_.answers() > 0) {
    const Bytes more = mpsse_.output();
    said.insert(said.end(), more.begin(), more.end());
  }
  return said;
}

void Bench::clientLeft() {
  mpsse_.reset();
  engine_.disconnect();
}

void Bench::restoreLink() {
  dropAt_.reset();
  shortAt_.reset();
  refuseAt_.reset();
}

std::string Bench::report() const {
  using Json = nlohmann::ordered_json;
  Json flashes = Json::array();
  for (const auto& flash : board_->flashes()) {
    Json commands = Json::object();
    for (const auto& [code, count] : flash->commands()) commands[fmt::format("0x{:02x}", code)] = count;
    flashes.push_back({{"name", flash->model().name}, {"commands", commands}});
  }
  Json cores = Json::array();
  for (std::size_t i = 0; i < board_->coreCount(); ++i) {
    const CoreChip& chip = board_->chip(i);
    cores.push_back(
        {{"name", chip.model().name}, {"words_programmed", chip.wordsProgrammed()}, {"resets", chip.resets()}});
  }
  const Violations& violations = board_->violations();
  const Json json = {{"seconds", toSeconds(board_->now())},
                     {"packets", packets_},
                     {"tck", board_->clocks()},
                     {"tck_shift_dr", board_->dataClocks()},
                     {"resets", board_->resets()},
                     {"flashes", flashes},
                     {"cores", cores},
                     {"violations", violations.count()},
                     {"first_violations", violations.first()}};
  return json.dump(2) + "\n";
}

}  // namespace imprimo::sim
