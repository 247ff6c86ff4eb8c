// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/error.h"

#include <iterator>

namespace imprimo {

const char* nameOf(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::Usage:
      return "usage";
    case ErrorKind::BadFile:
      return "bad-file";
    case ErrorKind::NoProbe:
      return "no-probe";
    case ErrorKind::BrokenChain:
      return "broken-chain";
    case ErrorKind::LinkLost:
      return "link-lost";
    case ErrorKind::ChainMismatch:
      return "chain-mismatch";
    case ErrorKind::NoBridge:
      return "no-bridge";
    case ErrorKind::UnknownFlash:
      return "unknown-flash";
    case ErrorKind::Refused:
      return "refused";
    case ErrorKind::NotErased:
      return "not-erased";
    case ErrorKind::NotProgrammed:
      return "not-programmed";
    case ErrorKind::CannotWrite:
      return "cannot-write";
    case ErrorKind::NoStore:
      return "no-store";
    case ErrorKind::Stopped:
      return "stopped";
    case ErrorKind::Internal:
      return "internal";
  }
  return "unknown";
}

const char* nameOf(Help help) {
  static constexpr const char* kNames[] = {
      "none",          "read-large", "place-file", "allow-erase",   "clear-protection", "name-scratch",
      "give-contents", "any-part",   "identify",   "leave-loading", "list-probes",      "install-rule",
      "release-probe", "name-probe", "unlock",     "permanent",     "give-token"};
  static_assert(std::size(kNames) == static_cast<std::size_t>(Help::GiveToken) + 1);
  return kNames[static_cast<std::size_t>(help)];
}

Error faultOf(const std::exception& unexpected) {
  return {ErrorKind::Internal, std::string("this is a fault of Imprimo: ") + unexpected.what(),
          "Report it with the sheet and the record of the run."};
}

std::string Error::full() const {
  std::string text = what();
  if (!remedy_.empty()) text += (text.ends_with('.') ? " " : ". ") + remedy_;
  return text;
}

}  // namespace imprimo
