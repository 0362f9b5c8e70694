// The one list of all faces. A new kind: one file, one line here.
#include "app/faces/face.h"

#include <algorithm>

namespace ivrin::app {

const Face& delayThrowFace();
const Face& reverbThrowFace();
const Face& reverseReverbFace();
const Face& reverseFace();
const Face& tapeFace();
const Face& halftimeFace();
const Face& stutterFace();
const Face& pulseFace();
const Face& glitchFace();
const Face& riserFace();
const Face& treatFace();
const Face& gapFace();

const std::vector<const Face*>& allFaces() {
  static const std::vector<const Face*> all = {
      &delayThrowFace(), &reverbThrowFace(), &reverseReverbFace(), &reverseFace(), &tapeFace(),  &halftimeFace(),
      &stutterFace(),    &pulseFace(),       &glitchFace(),        &riserFace(),   &treatFace(), &gapFace()};
  return all;
}

const Face* faceOf(std::string_view kind) {
  const auto it = std::find_if(allFaces().begin(), allFaces().end(), [&](const Face* f) { return f->kind() == kind; });
  return it == allFaces().end() ? nullptr : *it;
}

QStringList signKinds() {
  QStringList all;
  for (const Face* f : allFaces()) all << QString::fromUtf8(f->kind().data(), static_cast<qsizetype>(f->kind().size()));
  return all;
}

void drawSign(QPainter& p, const QString& kind, const QRectF& box, const QColor& colour) {
  SignPen pen(p, box, colour);
  const std::string id = kind.toStdString();
  if (const Face* f = faceOf(id)) f->sign(pen);
}

} // namespace ivrin::app
