// A page of the Tuner: Prepare, one face at a time.
#pragma once

#include "app/document/session.h"
#include "app/prepare/check_face.h"
#include "app/widgets/face_page.h"

namespace nutatio::app {

class PreparePage : public FacePage {
    Q_OBJECT
  public:
    PreparePage(Document& document, Session& session, Checker& checker, QWidget* parent = nullptr);
    QList<FindingRow*> rows() const;
};

}  // namespace nutatio::app
