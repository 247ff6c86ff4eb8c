// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/line/line_place.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "line/health.h"

namespace imprimo::app {
namespace {

constexpr int kBehindTheWindow = 5;
constexpr qint64 kBetweenTold = 60;  // ms; more often nobody can see

}  // namespace

LinePlace::LinePlace(std::shared_ptr<const release::Release> release, std::shared_ptr<const sheet::Sheet> sheet,
                     line::Place place, QObject* parent)
    : QObject(parent),
      release_(std::move(release)),
      sheet_(std::move(sheet)),
      address_(QString::fromStdString(place.bench.address)),
      station_(std::make_unique<line::Station>(*release_, *sheet_, std::move(place), *this)),
      thread_([this](const std::stop_token& stop) {
        // Whoever looks at the window comes first.
        ::setpriority(PRIO_PROCESS, static_cast<id_t>(::syscall(SYS_gettid)), kBehindTheWindow);
        station_->work(std::nullopt, stop);
      }) {}

LinePlace::~LinePlace() {
  end();
}

void LinePlace::end() {
  thread_.request_stop();
}

void LinePlace::post(std::function<void()> act) {
  QMetaObject::invokeMethod(this, std::move(act), Qt::QueuedConnection);
}

void LinePlace::entered(line::Phase phase, const std::string& sentence) {
  post([this, phase, text = QString::fromStdString(sentence)] {
    phase_ = phase;
    sentence_ = text;
    if (phase == line::Phase::Running) {
      step_.clear();
      part_ = 0;
    }
    emit changed();
  });
}

void LinePlace::advanced(const std::string& step, double part) {
  if (told_.isValid() && told_.elapsed() < kBetweenTold) return;
  told_.start();
  post([this, text = QString::fromStdString(step), part] {
    step_ = text;
    part_ = std::max(part_, part);
    emit changed();
  });
}

void LinePlace::finished(const line::BoardResult& result) {
  post([this, result] {
    last_ = result;
    health_ = QString::fromStdString(result.health);
    emit changed();
    emit finished();
  });
}

}  // namespace imprimo::app
