#include "app/compare/check_page.h"

#include "app/compare/loop_face.h"
#include "app/compare/spread_face.h"
#include "app/compare/takes_face.h"
#include "app/compare/trails_face.h"

namespace nutatio::app {

CheckPage::CheckPage(Document& document, Session& session, QWidget* parent) : FacePage(parent) {
    setFaces(tr("Check"),
             {{QStringLiteral("takes"), tr("Takes"), tr("What was kept, compared and taken back."),
               [&, this] { return joined(new TakesFace(document, session)); }},
              {QStringLiteral("spread"), tr("Spread"), tr("The shot in several settings at once."),
               [&, this] { return joined(new SpreadFace(document, session)); }},
              {QStringLiteral("loop"), tr("Loop"), tr("Whether the shot ends as it begins, and what mends it."),
               [&, this] { return joined(new LoopFace(document, session)); }},
              {QStringLiteral("trails"), tr("Trails"), tr("The ways that joints and spots go, and ghosts of other frames."),
               [&, this] { return joined(new TrailsFace(document, session)); }}});
    const auto now = [this, &session] { show(static_cast<int>(session.checkFace())); };
    connect(this, &FacePage::wanted, this, [&session](int entry) { session.setCheckFace(static_cast<CheckFaceId>(entry)); });
    connect(&session, &Session::faceChanged, this, now);
    now();
}

}  // namespace nutatio::app
