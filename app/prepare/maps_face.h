// A face of Prepare: maps, their steps, and the brush on them.
#pragma once

#include "app/prepare/brush_panel.h"
#include "app/prepare/face.h"

namespace nutatio::app {

class MapsFace : public Face {
    Q_OBJECT
  public:
    MapsFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    void showBrush();
    /// Shows the chosen map on the stage.
    void show();
    void layNew(const scene::ActorEntry& a);
    void layChosen(const scene::ActorEntry& a, const rig::Map& map);
    void addMap(const std::string& stem, const rig::MapStep& step);
    void addStep(const rig::MapStep& step);

    BrushPanel* m_brush;
    std::string m_chosen;
};

}  // namespace nutatio::app
