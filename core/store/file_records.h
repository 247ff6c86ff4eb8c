// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

#include "core/run/record.h"

namespace imprimo::store {

/// One JSON file for each record in a folder, which is made when needed.
class FileRecordSink : public run::RecordSink {
 public:
  explicit FileRecordSink(std::filesystem::path folder) : folder_(std::move(folder)) {}
  void keep(const run::Record& record) override;

 private:
  std::filesystem::path folder_;
};

}  // namespace imprimo::store
