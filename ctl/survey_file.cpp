// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/survey_file.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::ctl {

svf::Survey surveyFile(const std::string& file, double hz, const std::stop_token& stop) {
  const auto reader = svf::Reader::open(file);
  svf::Survey survey = svf::survey(*reader, hz, [&](const svf::Survey&) { return !stop.stop_requested(); });
  if (survey.problem) throw *survey.problem;
  if (!survey.whole && stop.stop_requested())
    throw Error(ErrorKind::Stopped, fmt::format("stopped at line {} of {}; nothing was sent", survey.end.line, file));
  return survey;
}

}  // namespace imprimo::ctl
