// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/probe/open_probe.h"
#include "core/probe/share_server.h"
#include "ctl/command.h"
#include "ctl/option_help.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct ShareOptions : CommonOptions {
  std::string listen;
};

void addOptions(OptionList& own, ShareOptions& options) {
  own.option("--listen", options.listen,
             "where; 127.0.0.1 and a free port if not given. Elsewhere only with --token-file")
      .typeName("HOST:PORT");
}

int runShare(const ShareOptions& options, const Context& context) {
  probe::ShareOptions settings;
  const auto listen = parseHostPort(options.listen.empty() ? "127.0.0.1:0" : options.listen, true);
  if (!listen) {
    throw Error(ErrorKind::Usage, fmt::format("--listen takes HOST:PORT, not '{}'", options.listen),
                "For example 127.0.0.1:4711 or [::1]:4711.");
  }
  settings.listen = *listen;
  probe::ProbeOptions opening = probeOptions(options, context, std::nullopt);
  settings.token = std::exchange(opening.token, std::nullopt);
  if (!settings.token && !listen->isLoopback()) {
    throw Error(ErrorKind::Usage, fmt::format("other computers reach {}, so a token is needed there", listen->text()),
                "Give one with --token-file FILE (or - for standard input), or listen on 127.0.0.1.");
  }
  const std::string address = probeAddress(options, context);
  if (address.starts_with("tcp:")) {
    throw Error(ErrorKind::Usage, fmt::format("{} is shared already", address),
                "Only a probe at this computer can be shared.");
  }
  std::unique_ptr<probe::SharedProbe> shared;
  if (auto packets = probe::openPackets(address, opening, context.system)) {
    shared = probe::shareTransport(std::move(packets));
  } else {
    shared = probe::shareProbe(probe::openProbe(address, opening, context.system));
  }
  probe::ShareServer server(*shared, settings);
  context.out << "sharing " << address << " at tcp:" << server.listening().text()
              << (settings.token ? ", with a token" : "") << std::endl;
  server.serve(context.stop, [&](const std::string& news) {
    if (options.verbose) context.err << "imprimoctl: " << news << "\n";
  });
  return 0;
}

}  // namespace

CommandRow shareCommand() {
  return commandRow<ShareOptions>("share", "serve a probe of this computer over TCP, until interrupted", addOptions,
                                  runShare);
}

}  // namespace imprimo::ctl
