#include "app/theme/letters.h"

#include <QApplication>
#include <QProxyStyle>

namespace ivrin::app {
namespace {

class LettersStyle : public QProxyStyle {
 public:
  using QProxyStyle::QProxyStyle;
  int styleHint(StyleHint hint, const QStyleOption* option, const QWidget* widget,
                QStyleHintReturn* result) const override {
    return hint == SH_Menu_KeyboardSearch ? 1 : QProxyStyle::styleHint(hint, option, widget, result);
  }
};

} // namespace

void lettersChoose(QMenu& menu) {
  auto* style = new LettersStyle(QApplication::style()->name());
  style->setParent(&menu); // a menu does not own its style
  menu.setStyle(style);
}

} // namespace ivrin::app
