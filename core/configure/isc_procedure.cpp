// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/bsdl/lexer.h"
#include "core/configure/isc_interpreter.h"

namespace imprimo::configure {
namespace {

using bsdl::IscAction;
using bsdl::IscName;

/// So much is queued before it runs: stopping and progress wait for no more.
constexpr double kMostQueuedSeconds = 0.05;
constexpr std::size_t kClocksAroundScan = 12;

/// Counts what a procedure takes; all that is compared is taken to agree.
class CountingSink : public IscSink {
 public:
  CountingSink(std::uint32_t clockHz, std::size_t irTotal) : clockHz_(clockHz), irTotal_(irTotal) {}
  void add(DeviceScan scan, const Expected*, std::uint64_t bits) override {
    bits_ += bits;
    const std::size_t clocks = irTotal_ + kClocksAroundScan + scan.update.size() + scan.captureBits + scan.clocks;
    seconds_ += static_cast<double>(clocks) / clockHz_ + scan.seconds;
  }
  std::optional<Mismatch> decide() override { return std::nullopt; }
  std::uint64_t bits() const { return bits_; }
  double seconds() const { return seconds_; }

 private:
  std::uint32_t clockHz_;
  std::size_t irTotal_;
  std::uint64_t bits_ = 0;
  double seconds_ = 0;
};

/// Carries out activities on a chain, as many at a time as may be.
class LiveSink : public IscSink {
 public:
  LiveSink(jtag::Chain& chain, std::size_t position, Progress& progress)
      : chain_(chain), position_(position), progress_(progress), batch_(chain, position) {}

  void add(DeviceScan scan, const Expected* expected, std::uint64_t bits) override {
    if (expected == nullptr && scan.update.size() > chain_.port().clockHz() / 20) {
      flush();
      shiftLong(chain_, position_, {scan.opcode, scan.update, scan.clocks, scan.seconds}, progress_);
      done_ += bits;
      return;
    }
    if (expected != nullptr) {
      scan.expected = jtag::Scan::Expected{expected->value, expected->mask, expected->within};
      waiting_.push_back(*expected);
    }
    batch_.add(scan);
    queuedBits_ += bits;
    if (batch_.seconds() >= kMostQueuedSeconds || scan.captureBits > chain_.port().clockHz() / 20) flush();
  }

  std::optional<Mismatch> decide() override {
    flush();
    return std::exchange(mismatch_, std::nullopt);
  }

  const BitVector& crcBits() const { return crc_; }
  const BitVector& output() const { return output_; }

 private:
  void flush() {
    if (batch_.empty()) return;
    if (progress_.stopRequested()) throw Error(ErrorKind::Stopped, fmt::format("stopped after {} bits", done_));
    const std::vector<BitVector> answers = batch_.run();
    for (std::size_t i = 0; i < answers.size(); ++i) look(answers[i], waiting_.at(i));
    waiting_.clear();
    if (queuedBits_ > 0) progress_.passed({queuedBits_, Amount::Bits});
    done_ += std::exchange(queuedBits_, 0);
  }

  void look(const BitVector& found, const Expected& expected) {
    bool agrees = found.size() == expected.mask.size();
    for (std::size_t at = 0; at < expected.mask.size(); at += 64) {
      const std::uint64_t mask = expected.mask.bits(at, 64);
      agrees = agrees && ((found.bits(at, 64) ^ expected.value.bits(at, 64)) & mask) == 0;
      for (std::size_t i = at; i < std::min(at + 64, expected.mask.size()); ++i) {
        if (expected.crc[i]) crc_.append(found[i]);
        if (expected.output[i]) output_.append(found[i]);
      }
    }
    if (!agrees && !mismatch_)
      mismatch_ = Mismatch{expected.where, expected.instruction, expected.value, found, expected.mask};
  }

  jtag::Chain& chain_;
  std::size_t position_;
  Progress& progress_;
  DeviceBatch batch_;
  std::vector<Expected> waiting_;
  std::uint64_t queuedBits_ = 0, done_ = 0;
  std::optional<Mismatch> mismatch_;
  BitVector crc_, output_;
};

/// "proc_verify_idcode(array)" as people read it: "Verify idcode (array)".
std::string readable(const IscName& name) {
  std::string text = name.name;
  for (const char* prefix : {"proc_", "procedure_"}) {
    if (bsdl::sameWord(text.substr(0, std::string_view(prefix).size()), prefix))
      text.erase(0, std::string_view(prefix).size());
  }
  for (char& c : text) c = c == '_' ? ' ' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return name.data.empty() ? text : text + " (" + name.data + ")";
}

template <typename Test>
bool anyInstruction(const bsdl::IscDescription& isc, const IscName& procedure, Test&& test) {
  for (const IscName& flowName : isc.procedure(procedure)->flows) {
    const bsdl::IscFlow& flow = *isc.flow(flowName);
    for (const auto* blocks : {&flow.blocks, &flow.last}) {
      for (const bsdl::IscBlock& block : *blocks) {
        for (const bsdl::IscElement& e : block.elements) {
          if (std::any_of(e.activities.begin(), e.activities.end(),
                          [&](const bsdl::IscActivity& a) { return test(bsdl::upperCase(a.instruction)); }))
            return true;
        }
      }
    }
  }
  return false;
}

class IscProcedure : public Procedure {
 public:
  IscProcedure(const Target& target, const IscWish& wish, const ConfigData* data, std::uint32_t clockHz)
      : target_(target), isc_(*target.description->isc), data_(data) {
    const IscAction& action = chooseAction(wish);
    given_ = !action.name.data.empty() ? action.name.data : wish.data;
    for (const IscAction::Use& use : action.procedures) {
      if (!isWanted(use, wish)) continue;
      names_.push_back(use.procedure);
      stages_.push_back(stageOf(use, action, clockHz));
    }
  }

  const std::vector<Stage>& stages() const override { return stages_; }

  StageResult carryOut(std::size_t i, jtag::Chain& chain, Progress& progress) override {
    LiveSink sink(chain, target_.position, progress);
    entered_ = entered_ || anyInstruction(isc_, names_[i], [](const std::string& n) { return n == "ISC_ENABLE"; });
    StageResult result;
    result.mismatch = IscInterpreter(target_, data_, sink).procedure(names_[i], given_);
    if (!result.mismatch && leaves(names_[i])) entered_ = false;
    output_.append(sink.output());
    if (sink.crcBits().empty()) return result;
    const std::uint32_t crc = iscCrc(sink.crcBits());
    result.note = fmt::format("CRC {:08X}", crc);
    const ConfigData::Section* section = data_ != nullptr ? data_->section(dataOf(names_[i])) : nullptr;
    if (!result.mismatch && section != nullptr && section->crc && *section->crc != crc) {
      result.mismatch = Mismatch{names_[i].text() + ", check sum",
                                 "CRC",
                                 BitVector::fromLsbFirst(*section->crc, 32),
                                 BitVector::fromLsbFirst(crc, 32),
                                 {}};
    }
    return result;
  }

  void leave(jtag::Chain& chain) override {
    if (!std::exchange(entered_, false)) return;
    for (const bsdl::IscProcedure& p : isc_.procedures) {
      if (!leaves(p.name)) continue;
      NoProgress nobody;
      LiveSink sink(chain, target_.position, nobody);
      IscInterpreter(target_, nullptr, sink).procedure(p.name, {});
      return;
    }
    chain.port().run(jtag::ScanBatch().reset());
  }

  BitVector output() const override { return output_; }

 private:
  /// The name of the data that a procedure works on.
  std::string dataOf(const IscName& procedure) const {
    for (const IscName& flow : isc_.procedure(procedure)->flows) {
      if (!flow.data.empty()) return flow.data;
    }
    return !procedure.data.empty() ? procedure.data : given_.empty() ? "array" : given_;
  }

  const IscAction& chooseAction(const IscWish& wish) const {
    if (const IscAction* exact = isc_.action(wish.action, wish.data)) return *exact;
    // Without data in brackets the only action of that name is meant; with "array" the one that has none.
    std::vector<const IscAction*> named;
    std::string names;
    for (const IscAction& a : isc_.actions) {
      names += (names.empty() ? "" : ", ") + a.name.text();
      const bool fits = wish.data.empty() || a.name.data.empty();
      if (fits && bsdl::sameWord(a.name.name, wish.action)) named.push_back(&a);
    }
    if (named.size() == 1) return *named.front();
    throw Error(ErrorKind::Usage,
                fmt::format("{} ({}) has {} action {}{}", target_.name, target_.description->entity,
                            named.empty() ? "no" : "more than one", wish.action,
                            wish.data.empty() ? "" : "(" + wish.data + ")"),
                names.empty() ? "Its BSDL file names no actions." : "Its BSDL file has: " + names + ".");
  }

  static bool isWanted(const IscAction::Use& use, const IscWish& wish) {
    const std::string name = bsdl::upperCase(use.procedure.name);
    switch (use.need) {
      case IscAction::Use::Need::Mandatory:
        return true;
      case IscAction::Use::Need::Recommended:
        return !wish.without.contains(name);
      case IscAction::Use::Need::Optional:
        return wish.with.contains(name);
    }
    return true;
  }

  bool leaves(const IscName& procedure) const {
    return anyInstruction(isc_, procedure, [](const std::string& n) { return n == "ISC_DISABLE"; });
  }

  Stage stageOf(const IscAction::Use& use, const IscAction& action, std::uint32_t clockHz) const {
    CountingSink sink(clockHz, target_.description->instructionLength);
    IscInterpreter(target_, data_, sink).procedure(use.procedure, given_);
    Stage stage;
    stage.title = readable(use.procedure);
    const char* need = use.need == IscAction::Use::Need::Recommended ? ", recommended"
                       : use.need == IscAction::Use::Need::Optional  ? ", by choice"
                                                                     : "";
    stage.why = fmt::format("the part's BSDL file has it in {}{}", action.name.text(), need);
    stage.amount = {sink.bits(), Amount::Bits};
    stage.seconds = sink.seconds();
    const auto has = [&](const char* word) {
      return anyInstruction(isc_, use.procedure,
                            [&](const std::string& n) { return n.find(word) != std::string::npos; });
    };
    stage.erases = has("ERASE");
    stage.secures = has("SECURITY");
    for (const IscName& flow : isc_.procedure(use.procedure)->flows) {
      stage.changes = stage.changes || isc_.flow(flow)->changes();
      stage.confirms = stage.confirms || (isc_.flow(flow)->takesInput() && !isc_.flow(flow)->writesInput());
    }
    return stage;
  }

  Target target_;
  const bsdl::IscDescription& isc_;
  const ConfigData* data_;
  std::string given_;
  std::vector<IscName> names_;
  std::vector<Stage> stages_;
  bool entered_ = false;  // ISC_ENABLE was sent, and not ISC_DISABLE
  BitVector output_;
};

}  // namespace

std::unique_ptr<Procedure> iscProcedure(const Target& target, const IscWish& wish, const ConfigData* data,
                                        std::uint32_t clockHz) {
  if (!target.description->isc) {
    throw Error(target.description->iscProblem.empty() ? ErrorKind::Usage : ErrorKind::BadFile,
                target.description->iscProblem.empty()
                    ? fmt::format("the BSDL file of {} ({}) has no ISC_ attributes (IEEE 1532)", target.name,
                                  target.description->entity)
                    : target.description->iscProblem,
                target.description->iscProblem.empty()
                    ? "Take its maker's 1532 file, or write a configuration card for it."
                    : "Mend the file, or describe the part with a configuration card.");
  }
  if (data != nullptr && !data->entity.empty() && !bsdl::sameWord(data->entity, target.description->entity)) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: it is for {}, and {} is a {}", data->file, data->entity, target.name,
                            target.description->entity),
                "Nothing was touched.")
        .untouched();
  }
  return std::make_unique<IscProcedure>(target, wish, data, clockHz);
}

}  // namespace imprimo::configure
