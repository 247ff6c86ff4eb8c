// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/base/error.h"
#include "core/probe/packet_pipe.h"

namespace imprimo::probe {

using std::chrono::milliseconds;

namespace {
constexpr milliseconds kQuiet{5};
constexpr int kMostStale = 64;  // as many as any probe has in flight
}  // namespace

PipeTransport::PipeTransport(std::unique_ptr<PacketPipe> pipe) : pipe_(std::move(pipe)) {
  for (int i = 0; i < kMostStale && pipe_->read(kQuiet); ++i) {
  }
}

void PipeTransport::send(ByteSpan request) {
  pipe_->write(request, std::chrono::seconds(10));
}

Bytes PipeTransport::receive(milliseconds limit) {
  if (auto response = pipe_->read(limit)) return std::move(*response);
  throw Error(ErrorKind::LinkLost, fmt::format("lost the probe at {}: no answer within {} ms", name(), limit.count()),
              "Unplug it and plug it in again, then connect again.");
}

}  // namespace imprimo::probe
