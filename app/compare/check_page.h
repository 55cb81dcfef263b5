// A page of the Tuner: Check, one face at a time.
#pragma once

#include "app/document/session.h"
#include "app/widgets/face_page.h"

namespace nutatio::app {

class CheckPage : public FacePage {
    Q_OBJECT
  public:
    CheckPage(Document& document, Session& session, QWidget* parent = nullptr);
};

}  // namespace nutatio::app
