// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/error.h"

namespace imprimo::store {

/// Word of who has something that only one program can use well: a probe, a sheet that is being changed. Nobody is kept
/// out by it; it is there so that the second one can say who the first is. Ends with the process, however that ends.
class Holder {
 public:
  /// `what`: "probe tcp:localhost:4711", "sheet /home/…". `who`: "imprimo", "imprimoctl". Where nothing can be written
  /// there is no word, and no error.
  Holder(const std::string& what, const std::string& who);
  Holder(const Holder&) = delete;
  Holder& operator=(const Holder&) = delete;
  ~Holder();

  /// "imprimo, process 4711"; nothing when it is this one.
  const std::optional<std::string>& other() const { return other_; }
  /// Looks again whether the other one has gone, and takes its place then.
  void take();

 private:
  std::string who_;
  int number_ = -1;
  bool mine_ = false;
  std::optional<std::string> other_;
};

/// What `open` gives; where it finds a probe in use, the error says by whom.
template <typename Open>
auto openHeld(Holder& holder, Open&& open) {
  holder.take();
  try {
    return open();
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoProbe || !holder.other()) throw;
    throw Error(e.kind(), std::string(e.what()) + " (it is held by " + *holder.other() + ")", e.remedy());
  }
}

}  // namespace imprimo::store
