#include "app/prepare/prepare_page.h"

#include "app/prepare/joints_face.h"
#include "app/prepare/kits_face.h"
#include "app/prepare/maps_face.h"
#include "app/prepare/motion_face.h"
#include "app/prepare/parts_face.h"
#include "app/prepare/perform_face.h"

namespace nutatio::app {

namespace {

constexpr FaceId kFaces[] = {FaceId::Check,  FaceId::Joints,  FaceId::Parts, FaceId::Maps,
                             FaceId::Motion, FaceId::Perform, FaceId::Kits};

}  // namespace

PreparePage::PreparePage(Document& document, Session& session, Checker& checker, QWidget* parent) : FacePage(parent) {
    setFaces(tr("Prepare"),
             {{QStringLiteral("check"), tr("Rig"), tr("What is wrong with the rig, and what is still stiff."),
               [&, this] { return joined(new CheckFace(document, session, checker)); }},
              {QStringLiteral("joints"), tr("Joints"), tr("Helper joints, pivots, skin weights."),
               [&, this] { return joined(new JointsFace(document, session)); }},
              {QStringLiteral("parts"), tr("Parts"), tr("Named sets of joints, and what of them is rigid."),
               [&, this] { return joined(new PartsFace(document, session)); }},
              {QStringLiteral("maps"), tr("Maps"), tr("Numbers on vertices, by rule and by brush."),
               [&, this] { return joined(new MapsFace(document, session)); }},
              {QStringLiteral("motion"), tr("Motion"), tr("Motions of other files, a base pose, and when the feet stand."),
               [&, this] { return joined(new MotionFace(document, session)); }},
              {QStringLiteral("perform"), tr("Perform"), tr("Over the ground, performed by hand, walked about."),
               [&, this] { return joined(new PerformFace(document, session)); }},
              {QStringLiteral("kits"), tr("Kits"), tr("A whole set-up, saved and put on another character."),
               [&, this] { return joined(new KitsFace(document, session)); }}});
    const auto now = [this, &session] {
        show(static_cast<int>(std::find(std::begin(kFaces), std::end(kFaces), session.face()) - std::begin(kFaces)));
    };
    connect(this, &FacePage::wanted, this, [&session](int entry) { session.setFace(kFaces[entry]); });
    connect(&session, &Session::faceChanged, this, now);
    now();
}

QList<FindingRow*> PreparePage::rows() const {
    const auto* check = qobject_cast<CheckFace*>(face());
    return check ? check->rows() : QList<FindingRow*>();
}

}  // namespace nutatio::app
