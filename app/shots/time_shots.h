// Pictures of what changes within a shot.
#pragma once

#include <QDir>
#include <QString>
#include <functional>

namespace nutatio::app {
class Bench;
}

/// Leaves the scene as it was. `keep` waits for the motion and takes a picture of that name.
void timeShots(nutatio::app::Bench& bench, const std::function<void(const QString& name)>& keep);
/// The same of takes and loops.
void takeShots(nutatio::app::Bench& bench, const std::function<void(const QString& name)>& keep);
/// The same of what is set by hand, in demo/lantern-walk.nutatio.
void handShots(nutatio::app::Bench& bench, const std::function<void(const QString& name)>& keep);
