// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/survey_file.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::ctl {

svf::Survey surveyFile(const std::string& file, double hz, const std::stop_token& stop, svf::FromPause fromPause) {
  const auto reader = svf::Reader::open(file);
  svf::Survey survey = svf::survey(
      *reader, hz, [&](const svf::Survey&) { return !stop.stop_requested(); }, fromPause);
  if (survey.problem) throw *survey.problem;
  if (!survey.whole && stop.stop_requested())
    throw Error(ErrorKind::Stopped, fmt::format("stopped at line {} of {}; nothing was sent", survey.end.line, file));
  return survey;
}

std::vector<std::string> remarksOn(const svf::Survey& survey, svf::FromPause fromPause) {
  std::vector<std::string> lines;
  for (const auto& remark : survey.remarks) lines.push_back(fmt::format("line {}: {}", remark.place.line, remark.text));
  // Files of ours are made for the way through Update.
  if (survey.fromPause > 0 && !(survey.ours && fromPause == svf::FromPause::Update)) {
    lines.push_back(fmt::format("line {}: the first of {} that begin in the pause state of their own register; {}",
                                survey.firstFromPause.line, countText(survey.fromPause, "scan"),
                                fromPause == svf::FromPause::Update
                                    ? "each goes on through Update (--from-pause shift: straight into Shift)"
                                    : "each goes on straight into Shift (--from-pause update: through Update)"));
  }
  return lines;
}

}  // namespace imprimo::ctl
