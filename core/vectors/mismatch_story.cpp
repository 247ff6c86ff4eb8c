// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/mismatch_story.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/svf/padded_scan.h"
#include "core/vectors/comments.h"

namespace imprimo::vectors {
namespace {

using Kind = BridgeOperation::Kind;

/// All compared bits came out alike although not all should be so.
std::optional<bool> allAlike(const svf::Mismatch& m) {
  std::optional<bool> level;
  bool mixed = false;
  for (std::size_t i = 0; i < m.mask.size(); ++i) {
    if (!m.mask[i]) continue;
    if (level && *level != m.found[i]) return std::nullopt;
    level = m.found[i];
    mixed = mixed || m.expected[i] != m.found[i];
  }
  return mixed && m.compared >= 8 ? level : std::nullopt;
}

std::string hintFor(const svf::Mismatch& m, const BridgeOperation* op, const MismatchStory& story) {
  const auto alike = allAlike(m);
  const std::string silent =
      alike ? fmt::format("All compared bits came out as {}: nothing answers there. ", *alike ? 1 : 0) : "";
  if (op == nullptr) {
    return alike ? silent + "Check that the part has power and holds the design that the file expects."
                 : "The part is another one, in another state, or slower than the file allows.";
  }
  switch (op->kind) {
    case Kind::Status:
      return alike && *alike ? silent + "Is the memory there?"
                             : "It was still busy after the wait. The part is slower than the file allows: write it "
                               "again with longer waits, or play it with a slower clock.";
    case Kind::Hello:
      return silent + "No bridge answers there, or a frame was damaged: load it first, or lower the clock.";
    case Kind::Id:
      return silent + "Another memory answers than the one that the file is for.";
    case Kind::Read:
      return silent + (story.address ? "The memory does not hold what it should: a worn block, protection, or a file "
                                       "that only compares."
                                     : "");
    default:
      return silent;
  }
}

}  // namespace

BridgeDecoder decoderAt(const std::filesystem::path& file, std::uint64_t until) {
  const auto reader = svf::Reader::open(file);
  VectorComments comments;
  reader->onComment([&](const svf::Comment& comment) { comments.take(comment.text); });
  std::optional<BridgeDecoder> decoder;
  svf::Statement s;
  while (reader->next(s) && s.place.offset < until) {
    if (s.kind != svf::Statement::Kind::Scan || s.field != svf::Field::Sdr) continue;
    if (!decoder) decoder = comments.decoder();
    decoder->decode(reader->value(svf::Field::Sdr).tdi, nullptr, nullptr, 0);
  }
  return decoder ? *decoder : comments.decoder();
}

MismatchStory storyOf(const svf::Mismatch& m, const svf::Reader& reader, svf::ChainView chain, BridgeDecoder decoder) {
  MismatchStory story;
  if (!m.pin.empty()) {
    story.doing = "a level at pin " + m.pin;
    return story;
  }
  const bool instruction = m.into == jtag::Register::Instruction;
  if (m.instructed) chain.instruct(svf::wholeScan(reader, svf::Field::Sir));
  if (instruction) chain.instruct({});
  story.device = instruction ? chain.deviceOfInstructionBit(m.first) : chain.deviceOfDataBit(m.first, m.total);
  if (story.device) {
    const svf::ChainDevice& device = chain.devices()[*story.device];
    story.deviceName = device.name;
    const svf::ChainView::Held& held = chain.held()[*story.device];
    if (instruction) {
      story.doing = "what Capture-IR leaves";
    } else if (held.idcode) {
      story.doing = "its IDCODE";
    } else if (!held.name.empty()) {
      story.doing = "behind " + held.name;
    }
  }
  const BridgeOperation* hit = nullptr;
  std::optional<std::vector<BridgeOperation>> operations;
  if (!instruction) {
    const svf::FieldValue& own = reader.value(svf::Field::Sdr);
    const std::size_t late = reader.value(svf::Field::Hdr).length + reader.value(svf::Field::Tdr).length + 1;
    operations = decoder.decode(own.tdi, own.tdo ? &*own.tdo : nullptr, &own.mask, late);
    const std::size_t bit = m.first - std::min(m.first, m.header);
    for (std::size_t i = 0; operations && i < operations->size(); ++i) {
      const BridgeOperation& op = (*operations)[i];
      if (!op.bytes.empty() && op.answerAt <= bit && bit < op.answerAt + 8 * op.bytes.size() &&
          op.kind != Kind::Program)
        hit = &op;
    }
  }
  if (hit != nullptr) {
    story.doing = hit->text();
    if (hit->kind == Kind::Read) {
      const std::size_t byte = (m.first - m.header - hit->answerAt) / 8;
      story.address = hit->range.begin + byte;
      Bytes found(1);
      const std::size_t at = m.header + hit->answerAt + 8 * byte;
      if (at >= m.from && at - m.from + 8 <= m.found.size()) {
        m.found.readMsbFirst(at - m.from, found);
        story.doing = fmt::format("{} should hold {} and holds {}", hexAddress(*story.address),
                                  hexByte(hit->bytes[byte]), hexByte(found[0]));
      }
    }
  }
  story.hint = hintFor(m, hit, story);
  return story;
}

bool changesBefore(const PlayWish& wish, svf::ChainView chain, std::uint64_t until) {
  const auto reader = svf::Reader::open(wish.file);
  BridgeDecoder decoder;
  svf::Statement s;
  try {
    while (reader->next(s) && s.place.offset < until) {
      if (s.kind == svf::Statement::Kind::State &&
          std::count(s.path.begin(), s.path.end(), jtag::TapState::TestLogicReset))
        chain.reset();
      if (s.kind != svf::Statement::Kind::Scan) continue;
      if (s.field == svf::Field::Sir) {
        chain.instruct(svf::wholeScan(*reader, svf::Field::Sir));
        continue;
      }
      if (s.place.offset < wish.from || chain.predicted(1 << 16)) continue;
      const svf::FieldValue& own = reader->value(svf::Field::Sdr);
      const auto operations = decoder.decode(own.tdi, nullptr, nullptr, 0);
      if (!operations) return true;
      if (std::any_of(operations->begin(), operations->end(), [](const auto& op) { return op.changes(); })) return true;
    }
  } catch (const Error&) {
    // What is wrong with the file was told already; up to there nothing changed.
  }
  return false;
}

}  // namespace imprimo::vectors
