// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/export.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"
#include "core/bench/bench.h"
#include "core/bench/memory_kinds.h"
#include "core/bench/route_kinds.h"
#include "core/bench/route_load.h"
#include "core/configure/vector_procedure.h"
#include "core/svf/recorder.h"
#include "core/vectors/chain_check.h"
#include "core/vectors/comments.h"

namespace imprimo::vectors {
namespace {

/// So many bytes are compared in one scan: a block where blocks are small, so that a mismatch tells its place.
constexpr std::size_t kReadAtOnce = 4096;

std::unique_ptr<bench::MemoryRecorder> recorderOf(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const bench::MemoryKind& kind = bench::memoryKind(entry);
  if (bench::routeKind(entry).record == nullptr && kind.record != nullptr)
    throw Error(ErrorKind::Usage,
                fmt::format("a file of vectors does not reach {} {}", entry.name, entry.route->words()));
  if (kind.record != nullptr) return kind.record(sheet, entry);
  throw Error(ErrorKind::Usage,
              fmt::format("a file of vectors does not reach {}, which is a {}", entry.name, kind.type));
}

std::string secondsText(double seconds) {
  return seconds < 100 ? fmt::format("{:.1f} s", seconds) : durationText(seconds);
}

class Exporter {
 public:
  Exporter(const sheet::Sheet& sheet, const VectorWish& wish, const bench::ConfigCardFinder& cards,
           const svf::Sink& sink, Progress& progress)
      : sheet_(sheet), wish_(wish), cards_(cards), progress_(progress), writer_(sink, wish.writer) {}

  VectorFile run() {
    collect();
    head();
    for (std::size_t i = 0; i < steps_.size(); ++i) {
      if (progress_.stopRequested()) throw Error(ErrorKind::Stopped, "stopped while vectors were written");
      const auto& [title, work] = steps_[i];
      writer_.comment(
          fmt::format("Step {} of {}: {}; begins at {}", i + 1, steps_.size(), title, secondsText(writer_.seconds())));
      work();
    }
    writer_.comment(kClosing);
    for (const auto& t : targets_) leave(*t);
    writer_.comment("End");
    writer_.reset();
    writer_.finish();
    file_.bytes = writer_.bytes();
    file_.seconds = writer_.seconds();
    return file_;
  }

 private:
  struct Target {
    std::string name;
    plan::Plan plan;
    bench::ChainPlace place;
    std::size_t position = 0;
    std::unique_ptr<bench::RouteRecorder> route;
    std::unique_ptr<bench::MemoryRecorder> memory;
  };

  void step(std::string title, std::function<void()> work) { steps_.emplace_back(std::move(title), std::move(work)); }

  const sheet::Route& routeOf(const Target& t) const { return *sheet_.memory(t.name).route; }

  bench::ChainPlace placeOf(const sheet::Route& route) const {
    bench::ChainPlace place;
    if (wish_.elsewhere) {
      place.irBefore = wish_.elsewhere->before;
      place.irAfter = wish_.elsewhere->after;
      return place;
    }
    for (std::size_t i = 0; i < sheet_.chain.size(); ++i) {
      if (i + 1 == route.position) continue;
      (i + 1 < route.position ? place.irBefore : place.irAfter).push_back(sheet_.chain[i].irLength);
    }
    return place;
  }

  /// The chain as the file will find it, and where the part is in it.
  jtag::Chain chainAround(const Target& target, jtag::JtagPort& port) const {
    std::vector<std::uint32_t> lengths = target.place.irBefore;
    lengths.push_back(sheet_.chain[target.position - 1].irLength);
    lengths.insert(lengths.end(), target.place.irAfter.begin(), target.place.irAfter.end());
    return {port, lengths};
  }

  void collect() {
    for (std::size_t i = 0; i < wish_.memories.size(); ++i) {
      const std::string& name = wish_.memories[i].memory;
      bench::routeKind(sheet_.memory(name));  // refuses one that this version cannot drive
      const sheet::Route& route = *sheet_.memory(name).route;
      auto target = std::make_unique<Target>();
      target->name = name;
      target->memory = recorderOf(sheet_, sheet_.memory(name));
      target->plan = planFor(wish_.memories[i], target->memory->geometry());
      target->position = route.position;
      target->place = placeOf(route);
      targets_.push_back(std::move(target));
    }
    if (wish_.elsewhere) {
      for (const auto& t : targets_) {
        if (t->position == targets_.front()->position) continue;
        throw Error(ErrorKind::Usage,
                    "the memories are behind different parts, so one other place in a chain does not do",
                    "Write a file for each of them.");
      }
    }
    step("Check the chain", [this] { checkChain(); });
    if (wish_.scope == VectorWish::Scope::Chain) return;
    std::size_t loaded = 0;
    for (std::size_t i = 0; i < targets_.size(); ++i) {
      Target& t = *targets_[i];
      if (wish_.load && wish_.memories[i].load && t.position != loaded) {
        loaded = t.position;
        step(fmt::format("Load the bridge into {}", sheet_.chain[t.position - 1].name), [this, &t] { load(t); });
      }
      step(fmt::format("Identify {}", t.name), [this, &t] { identify(t); });
      if (wish_.scope != VectorWish::Scope::Work) continue;
      for (const plan::Step& work : t.plan.steps) addWork(t, work);
    }
    if (!wish_.memories.empty() && wish_.memories.back().restart && wish_.scope == VectorWish::Scope::Work &&
        !wish_.elsewhere)
      addRestart();
  }

  plan::Plan planFor(const plan::Wanted& wanted, const memory::Geometry& geometry) const {
    plan::Knowledge known;
    known.geometry = geometry;
    known.contents = wish_.contents ? &*wish_.contents : nullptr;
    known.eraseUnknown = true;
    known.speed.clockHz = static_cast<std::uint32_t>(wish_.writer.hz);
    return plan::makePlan(wanted, known);
  }

  void addWork(Target& t, const plan::Step& planned) {
    const auto title = [&] { return fmt::format("{}, {} in {}", planned.title, rangeText(planned.extent()), t.name); };
    switch (planned.kind) {
      case plan::StepKind::Compare:
        return step(title(), [this, &t, &planned] { compare(t, planned.ranges, t.plan.before); });
      case plan::StepKind::Renew:
        return step(title(), [this, &t, &planned] { renew(t, planned); });
      case plan::StepKind::Erase:
        return step(title(), [this, &t, &planned] { erase(t, planned.erases); });
      case plan::StepKind::Write:
        return step(title(), [this, &t, &planned] { write(t, planned.pages); });
      case plan::StepKind::Confirm:
        return step(title(), [this, &t, &planned] { compare(t, planned.ranges, t.plan.target); });
      default:
        return;  // the rest is not done by vectors, or stands in steps of its own
    }
  }

  void addRestart() {
    for (std::size_t i = 1; i <= sheet_.chain.size(); ++i) {
      if (!sheet_.chain[i - 1].description) continue;
      bench::DeviceConfigPtr config = bench::deviceConfig(sheet_, i, cards_);
      if (!config->card || config->card->restart.empty()) continue;
      step(fmt::format("Let {} start again", config->target.name), [this, config] {
        // What is on the way of the bridge is put in order first.
        for (const auto& t : targets_) leave(*t);
        writer_.pad({});
        svf::Recorder recorder(writer_);
        std::vector<std::uint32_t> lengths;
        for (const sheet::Device& part : sheet_.chain) lengths.push_back(part.irLength);
        jtag::Chain chain(recorder, lengths);
        const auto procedure =
            configure::cardProcedure(config->target, *config->card, config->card->restart, nullptr, recorder.clockHz());
        for (std::size_t k = 0; k < procedure->stages().size(); ++k) procedure->carryOut(k, chain, progress_);
      });
    }
  }

  void head() {
    writer_.comment(fmt::format("Imprimo vectors 1: {}", sheet_.title.empty() ? "without a title" : sheet_.title));
    for (const auto& t : targets_) {
      writer_.comment(
          fmt::format("Memory {}: {}, through {}, {} before and {} after it", t->name, t->memory->words(),
                      bench::routeKind(sheet_.memory(t->name)).words(routeOf(*t), sheet_.chain[t->position - 1].name),
                      t->place.before(), t->place.after()));
      for (const std::string& line : t->memory->headLines()) writer_.comment(line);
    }
    writer_.comment("Every wait is the longest that the part may take; what the chain answers is compared after it.");
    writer_.begin();
  }

  void checkChain() {
    if (!wish_.elsewhere) return writeChainCheck(writer_, sheet_);
    // Of another chain nothing is known but where the part is: it is asked alone.
    if (targets_.empty()) return;
    writer_.pad(targets_.front()->place.padding());
    writeDeviceCheck(writer_, sheet_.chain[targets_.front()->position - 1]);
  }

  void load(Target& t) {
    const bench::RouteLoad data = bench::readRouteLoad(sheet_, routeOf(t), cards_);
    writer_.pad({});
    writer_.reset();
    if (data.vectors.empty()) {
      record(t, data);
    } else {
      splice(data);
    }
    open(t);
    t.route->wake();
  }

  void record(const Target& t, const bench::RouteLoad& data) {
    svf::Recorder recorder(writer_);
    jtag::Chain chain = chainAround(t, recorder);
    // The part may be somewhere else than in the sheet.
    configure::Target there = data.target;
    there.position = t.place.before() + 1;
    const auto procedure = data.procedure(there, recorder.clockHz());
    NoProgress nobody;
    for (std::size_t i = 0; i < procedure->stages().size(); ++i) {
      writer_.comment(procedure->stages()[i].title);
      procedure->carryOut(i, chain, nobody);
    }
  }

  void splice(const bench::RouteLoad& data) {
    if (wish_.elsewhere) {
      throw Error(ErrorKind::Usage,
                  fmt::format("{} loads the bridge in the sheet's chain, and cannot be moved to another one",
                              data.vectors.filename().string()),
                  "Give the route an image, or leave the loading out.")
          .setHelp(Help::LeaveLoading);
    }
    const configure::VectorStage stage(data.vectors, static_cast<std::uint32_t>(writer_.options().hz));
    InputFile file(data.vectors, kVectorFile);
    writer_.splice([&](std::span<std::uint8_t> into) { return file.read(into); }, stage.seconds());
  }

  void open(Target& t) {
    t.route = bench::routeKind(sheet_.memory(t.name)).record(sheet_, routeOf(t), writer_, t.place);
  }

  void identify(Target& t) {
    writer_.comment(kTarget + t.name);
    if (!t.route) open(t);
    t.route->greet();
    t.memory->identify(*t.route);
  }

  /// Each step selects the bridge again and brings the part into its modes, so that it can be taken up from there.
  bench::MemoryRecorder& ready(Target& t) {
    t.route->greet();
    t.memory->enterModes();
    return *t.memory;
  }

  void blockComment(const AddressRange& block) {
    writer_.comment(fmt::format("Block {}, {}", hexAddress(block.begin), secondsText(writer_.seconds())));
  }

  void erase(Target& t, const std::vector<memory::EraseBlock>& blocks) {
    bench::MemoryRecorder& memory = ready(t);
    for (const memory::EraseBlock& block : blocks) {
      blockComment(block.range);
      memory.erase(std::span(&block, 1), progress_);
      file_.erased += block.range.size();
    }
    t.route->requireClean();
  }

  /// Pages that lie in one block together.
  void write(Target& t, std::span<const memory::PageWrite> pages) {
    bench::MemoryRecorder& memory = ready(t);
    while (!pages.empty()) {
      const AddressRange block = t.memory->geometry().blockAt(pages.front().address);
      std::size_t count = 1;
      while (count < pages.size() && block.contains(pages[count].address)) ++count;
      blockComment(block);
      memory.program(pages.first(count), progress_);
      for (const memory::PageWrite& page : pages.first(count)) file_.written += page.bytes.size();
      t.route->requireClean();
      pages = pages.subspan(count);
    }
  }

  void renew(Target& t, const plan::Step& planned) {
    for (const memory::EraseBlock& block : planned.erases) {
      writer_.comment(std::string(kTogether) + " " + hexAddress(block.range.begin));
      erase(t, {block});
      std::vector<memory::PageWrite> pages;
      for (const memory::PageWrite& page : planned.pages) {
        if (block.range.contains(page.address)) pages.push_back(page);
      }
      write(t, pages);
      writer_.comment(kTogetherEnds);
    }
  }

  void compare(Target& t, const std::vector<AddressRange>& ranges, const MemoryImage& expected) {
    bench::MemoryRecorder& memory = ready(t);
    for (const AddressRange& range : ranges) {
      for (std::uint64_t at = range.begin; at < range.end;) {
        const std::uint64_t end = std::min(range.end, (at / kReadAtOnce + 1) * kReadAtOnce);
        blockComment({at, end});
        memory.expectBytes(at, expected.bytes({at, end}), kReadAtOnce, progress_);
        file_.compared += end - at;
        at = end;
      }
    }
    t.route->requireClean();
  }

  /// As whoever starts from the part expects it: at three address bytes.
  void leave(Target& t) {
    if (t.memory->hasModes()) t.route->greet();
    t.memory->leave();
  }

  const sheet::Sheet& sheet_;
  const VectorWish& wish_;
  const bench::ConfigCardFinder& cards_;
  Progress& progress_;
  svf::Writer writer_;
  std::vector<std::unique_ptr<Target>> targets_;
  std::vector<std::pair<std::string, std::function<void()>>> steps_;
  VectorFile file_;
};

}  // namespace

VectorFile writeVectors(const sheet::Sheet& sheet, const VectorWish& wish, const bench::ConfigCardFinder& cards,
                        const svf::Sink& sink, Progress& progress) {
  return Exporter(sheet, wish, cards, sink, progress).run();
}

}  // namespace imprimo::vectors
