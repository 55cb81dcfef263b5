// The ways of joints and spots through the shot, worked out aside.
#pragma once

#include <QObject>
#include <vector>

#include "app/document/newest_wins.h"
#include "app/document/session.h"

namespace nutatio::app {

class Ways : public QObject {
    Q_OBJECT
  public:
    Ways(Document& document, Session& session, QObject* parent = nullptr);

    struct Way {
        scene::Mount of;
        std::vector<Vec3> seen;    // by frame, in what it is seen from [units]
        std::vector<Affine> from;  // by frame, what that is
    };
    const std::vector<Way>& all() const { return m_ways; }

  Q_SIGNALS:
    void changed();

  private:
    void work();

    Document& m_document;
    Session& m_session;
    std::vector<Way> m_ways;
    Trails m_worked;  // that the ways are of
    ResultsPtr m_of;
    NewestWins m_worker{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
