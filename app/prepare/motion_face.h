// A face of Prepare: motions of other files put on the character, a base pose before the motion, and when the feet stand.
#pragma once

#include "app/document/newest_wins.h"
#include "app/document/sheets.h"
#include "app/prepare/face.h"

namespace nutatio::app {

class MotionFace : public Face {
    Q_OBJECT
  public:
    MotionFace(Document& document, Session& session, QWidget* parent = nullptr);
    /// Reads a file of motion and lays out its mapping sheet.
    void bring(const QString& path);

  protected:
    void lay() override;

  private:
    void choose();
    void laySheet(const scene::ActorEntry& a, Sheets::Motion& sheet);
    void layLine(const scene::ActorEntry& a);
    void layContacts(const scene::ActorEntry& a);

    Sheets& m_sheets;
    bool m_reading = false;
    std::pair<Key, int> m_contactsOf{{}, -1};  // which actor and clip these are of
    std::vector<rig::Contact> m_contacts;
    int m_hold = 12, m_ease = 12;
    int m_frames = 12;                                // that a pose is held, or a clip comes in over
    NewestWins m_worker{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
