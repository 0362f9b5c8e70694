#include "rig.h"

#include "app/theme/palette.h"
#include "app/theme/wave_painter.h"

#include <catch2/catch.hpp>

#include <QImage>
#include <QScreen>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

QImage scoreImage(Rig& rig) {
  return rig.score().grab().toImage().convertToFormat(QImage::Format_RGB32);
}

/// What stands on the screen: what was painted when, not a picture made anew.
QImage onScreen(Rig& rig) {
  return rig.window->screen()->grabWindow(rig.window->winId()).toImage().convertToFormat(QImage::Format_RGB32);
}

} // namespace

TEST_CASE("waves are painted with exact coverage and travel with their texture", "[painting]") {
  QImage image(4, 10, QImage::Format_RGB32);
  image.fill(qRgb(255, 255, 255));
  WaveColumns w(4);
  w.top = {2, 2.5f, 4, 20};
  w.bottom = {8, 7.5f, 4, 30};
  drawWave(image, 0, 0, 10, w, {qRgb(0, 0, 0)});
  CHECK(qRed(image.pixel(0, 1)) == 255);
  CHECK(qRed(image.pixel(0, 2)) == 0);
  CHECK(qRed(image.pixel(0, 7)) == 0);
  CHECK(qRed(image.pixel(0, 8)) == 255);
  CHECK(qRed(image.pixel(1, 2)) == Approx(127).margin(2)); // half a pixel
  CHECK(qRed(image.pixel(1, 7)) == Approx(127).margin(2));
  for (int y = 0; y < 10; ++y) CHECK(qRed(image.pixel(2, y)) == 255);
  // The same song shifted by three pixels gives the same strokes shifted by three pixels.
  const auto strokes = [](double origin) {
    QImage i(60, 20, QImage::Format_RGB32);
    i.fill(qRgb(255, 255, 255));
    WaveColumns all(60);
    std::fill(all.top.begin(), all.top.end(), 0.0f);
    std::fill(all.bottom.begin(), all.bottom.end(), 20.0f);
    drawWave(i, 0, 0, 20, all, {qRgb(0, 0, 200), 0.3f, 0.6f, 5, 0.5f, 0.45f, origin});
    return i;
  };
  const QImage a = strokes(-1000), b = strokes(-997);
  int worst = 0; // single precision may round a shade differently
  for (int y = 0; y < 20; ++y)
    for (int x = 0; x < 57; ++x) worst = std::max(worst, std::abs(qRed(a.pixel(x, y)) - qRed(b.pixel(x + 3, y))));
  CHECK(worst <= 3);
  int dark = 0;
  for (int x = 0; x < 60; ++x) dark += qBlue(a.pixel(x, 10)) < 235 && qRed(a.pixel(x, 10)) < 100 ? 1 : 0;
  CHECK(dark > 12); // strokes there are
  CHECK(dark < 40); // and paper between them
}

TEST_CASE("what is painted piece by piece is the same picture as painted at once", "[painting]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 8, 9.5);
  rig.place("gap", "music", 14, 16);
  rig.score().showRange(4, 24, false);
  // The window moves when it is told to alone.
  for (QTimer* t : rig.window->findChildren<QTimer*>(QString(), Qt::FindDirectChildrenOnly)) t->stop();
  int steps = 0;
  const auto same = [&](const char* after) {
    rig.settle(); // nothing is computed meanwhile
    const QImage screen = onScreen(rig);
    rig.window->update();
    for (QWidget* w : rig.window->findChildren<QWidget*>()) w->update();
    QApplication::processEvents();
    const QImage whole = onScreen(rig);
    QRect apart;
    for (int y = 0; screen != whole && y < whole.height(); ++y)
      for (int x = 0; x < whole.width(); ++x)
        if (screen.pixel(x, y) != whole.pixel(x, y)) apart |= QRect(x, y, 1, 1);
    INFO(steps << " " << after << ": " << apart.x() << " " << apart.y() << " " << apart.width() << "x"
               << apart.height());
    CHECK(apart.isNull());
    ++steps;
  };
  QApplication::processEvents();
  REQUIRE(onScreen(rig).width() == rig.window->width());
  for (const int by : {37, 250, -120, 3}) {
    rig.score().scrollBy(by);
    same("scrolled");
  }
  rig.score().setFocus(); // then the caret's row has a mark at the margin
  rig.score().showRange(8.2, 8.4, false);
  same("far in");
  for (const int by : {13, -90, 400}) {
    rig.score().scrollBy(by);
    same("scrolled far in");
  }
  rig.score().showRange(4, 24, false);
  rig.select("voice", 12, 13);
  same("selected, with the strip");
  rig.score().scrollBy(61);
  same("scrolled under the strip");
  rig.select("drums", 13, 15);
  same("selected elsewhere");
  rig.score().select(std::nullopt);
  same("the strip is gone");
  rig.score().setFocus();
  for (const Qt::Key k : {Qt::Key_Right, Qt::Key_Down, Qt::Key_Down, Qt::Key_Left}) {
    rig.key(k);
    same("the caret walked");
  }
  const TempoMap map = rig.session->plan()->map();
  rig.session->player().play(map.frameAt(Beats::ofQuarters(9)));
  for (int i = 0; i < 12; ++i) {
    rig.out().step(1700);
    same("played on");
    if (i == 6) rig.score().scrollBy(45);
  }
  rig.session->player().stop();
  same("stopped");
  rig.hoverAt(rig.score().signOf(id).center());
  same("a sign under the mouse");
  rig.hoverAt(QPointF(600, 30));
  same("and left");
  rig.score().opened().open(id);
  same("opened");
  rig.score().opened().walk(1);
  same("a handle walked to");
  rig.key(Qt::Key_Right);
  same("and moved");
  rig.session->player().play(map.frameAt(Beats::ofQuarters(8)));
  for (int i = 0; i < 4; ++i) {
    rig.out().step(2300);
    same("played on over the open row");
  }
  rig.session->player().stop();
  rig.score().opened().close();
  same("closed");
  CHECK(steps >= 30);
}

TEST_CASE("ink stands where there is sound and only there", "[painting]") {
  SmallSongRig rig;
  rig.score().clearFocus();
  rig.score().showRange(4, 20, false);
  const QImage image = scoreImage(rig);
  const QRect staff = rig.score().staffOf("voice");
  const auto darkAt = [&](double beat, double part) {
    const int x = static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(beat))),
              y = staff.center().y() - static_cast<int>(part * staff.height() / 2);
    return qGray(image.pixel(x, y)) < 110;
  };
  CHECK(darkAt(8.7, 0.4)); // a word
  CHECK(darkAt(12.5, -0.4));
  CHECK_FALSE(darkAt(10.7, 0.4)); // a rest
  CHECK_FALSE(darkAt(6.3, -0.3));
  // Silence is a thin line: ink in the middle, paper a few pixels off.
  const int x = static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(10.7)));
  int darkest = 255;
  for (int y = staff.center().y() - 2; y <= staff.center().y() + 2; ++y)
    darkest = std::min(darkest, qGray(image.pixel(x, y)));
  CHECK(darkest < 190);
  CHECK(qGray(image.pixel(x, staff.center().y() - 8)) > 225);
}

TEST_CASE("text and marks keep their contrast by day and at night", "[painting]") {
  const auto luminance = [](const QColor& c) { // WCAG 2.1, relative luminance
    const auto lin = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * lin(c.redF()) + 0.7152 * lin(c.greenF()) + 0.0722 * lin(c.blueF());
  };
  const auto contrast = [&](const QColor& a, const QColor& b) {
    const double x = luminance(a), y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
  };
  for (const Palette* p : {&dayPaper(), &nightPaper()})
    for (const QColor& ground : {p->paper, p->margin, p->card}) {
      for (const QColor& text : {p->ink, p->quiet, p->rust, p->blue, p->ochreText, p->warning})
        CHECK(contrast(text, ground) >= 4.5);
      for (const QColor& drawn : {p->ochre, p->wave}) CHECK(contrast(drawn, ground) >= 3.0);
    }
}

TEST_CASE("changing paper repaints everything", "[painting]") {
  SmallSongRig rig;
  rig.window->action("night")->trigger();
  const QImage night = rig.window->grab().toImage();
  CHECK(night.pixelColor(640, 790) == nightPaper().paper);
  CHECK(night.pixelColor(4, 60) == nightPaper().margin);
  rig.window->action("night")->trigger();
  CHECK(rig.window->grab().toImage().pixelColor(640, 790) == dayPaper().paper);
}
