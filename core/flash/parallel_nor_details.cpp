// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/parallel_nor_details.h"

#include <fmt/format.h>

#include "core/base/json.h"
#include "core/base/number.h"

namespace imprimo::flash {

nlohmann::ordered_json ParallelNorDetails::json(const memory::Identity& identity, bool) const {
  nlohmann::ordered_json json = {{"id", identity.id},
                                 {"size", identity.geometry.size},
                                 {"page", identity.geometry.page},
                                 {"erase", nlohmann::ordered_json::array()},
                                 {"source", identity.source},
                                 {"command_set", cfi_.commandSet},
                                 {"data_bits", dataBits_}};
  for (const memory::EraseType& type : identity.geometry.erase) json["erase"].push_back({{"size", type.size}});
  if (!identity.remarks.empty()) json["remarks"] = identity.remarks;
  return json;
}

std::string ParallelNorDetails::text(const std::string& name, const memory::Identity& identity, bool) const {
  std::string sizes;
  for (const memory::EraseType& type : identity.geometry.erase)
    sizes += (sizes.empty() ? "" : ", ") + sizeText(type.size);
  std::string text = fmt::format("{}: ID {}, {}, {} data lines, command set {}, blocks of {}, {}\n", name, identity.id,
                                 sizeText(identity.geometry.size), dataBits_, cfi_.commandSet, sizes,
                                 cfi_.bufferBytes == 0 ? std::string("without a write buffer")
                                                       : fmt::format("write buffer {}", sizeText(cfi_.bufferBytes)));
  for (const memory::Evidence& e : identity.evidence) text += fmt::format("{}: {}\n", e.what, e.found);
  for (const std::string& remark : identity.remarks) text += remark + "\n";
  return text;
}

}  // namespace imprimo::flash
