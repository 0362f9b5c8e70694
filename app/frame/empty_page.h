// The empty page is what the window shows while no song is open: an empty system, and two ways to begin.
#pragma once

#include <QWidget>

#include <functional>

namespace ivrin::app {

/// A button calls what it stands for; without `openDemo` there is none for the demo song.
QWidget* emptyPage(QWidget* parent, const std::function<void()>& openDemo, const std::function<void()>& chooseStems);

} // namespace ivrin::app
