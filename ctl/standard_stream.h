// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <ostream>

namespace imprimo::ctl {

/// Makes sure that 0, 1 and 2 are taken: otherwise the next file or socket would get one of them, and what is printed
/// would go there. What was closed stays so for whoever uses it.
void holdStandardNumbers();

/// Standard output or error of this process, as a stream that knows when it cannot be written: then it is bad().
class StandardStream : public std::ostream {
 public:
  /// `broken` is called once, when whoever reads at the other end has gone (EPIPE).
  StandardStream(int number, std::function<void()> broken);
  ~StandardStream() override;

 private:
  std::unique_ptr<std::streambuf> buffer_;
};

/// Passes text on with its control characters made visible, but for line feeds and tabs: what probes, files and names
/// say is shown and never obeyed. Keeps at most one line.
class VisibleStream : public std::ostream {
 public:
  explicit VisibleStream(std::ostream& to);
  ~VisibleStream() override;

 private:
  std::unique_ptr<std::streambuf> buffer_;
};

}  // namespace imprimo::ctl
