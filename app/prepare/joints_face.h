// A face of Prepare: joints that a rig lacks, pivots, skin weights, and what was done so far.
#pragma once

#include <QCheckBox>

#include "app/prepare/brush_panel.h"
#include "app/prepare/face.h"

namespace nutatio::app {

class JointsFace : public Face {
    Q_OBJECT
  public:
    JointsFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    void showBrush();
    void layDone(const scene::ActorEntry& a);

    BrushPanel* m_brush;
};

}  // namespace nutatio::app
