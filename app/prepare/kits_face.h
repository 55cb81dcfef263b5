// A face of Prepare: a whole set-up saved, and put on another character.
#pragma once

#include "app/document/sheets.h"
#include "app/prepare/face.h"

namespace nutatio::app {

class KitsFace : public Face {
    Q_OBJECT
  public:
    KitsFace(Document& document, Session& session, QWidget* parent = nullptr);
    /// Writes what is set up on the actor; the selected layer alone where asked to.
    void save(const QString& path, bool selectedAlone);
    /// Reads a kit and lays out where its joints go.
    void bring(const QString& path);

  protected:
    void lay() override;

  private:
    void laySheet(const scene::ActorEntry& a, Sheets::Kit& sheet);

    Sheets& m_sheets;
};

}  // namespace nutatio::app
