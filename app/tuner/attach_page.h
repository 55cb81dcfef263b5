// A page of the Tuner: what can be put on the selection, or what to do first.
#pragma once

#include <QLabel>
#include <QVBoxLayout>
#include <QWidget>

#include "app/document/document.h"
#include "app/document/session.h"
#include "edit/edit.h"

namespace nutatio::app {

class AttachPage : public QWidget {
    Q_OBJECT
  public:
    AttachPage(const Document& document, const Session& session, QWidget* parent = nullptr);
    static QString title(const Document& document, const Session& session);

  Q_SIGNALS:
    void layerWanted(const std::string& kind);
    void colliderWanted(scene::Shape shape);
    void commandWanted(const QString& id);
    /// One layer of a kind on parts that suit it.
    void layerOnPartsWanted(const std::string& kind, const std::vector<nutatio::edit::Suited>& parts);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void buildOffers(const Document& document, const scene::ActorEntry& actor);
    QLabel* addText(const QString& text);
    void addButtons(std::initializer_list<std::pair<QString, QString>> commands, bool can = true);
    void buildEmpty();
    void buildKinds(bool can);
    void buildPieces();
    void buildColliders(bool can);

    QVBoxLayout* m_rows;
    QLabel* m_help = nullptr;  // what the kind under the pointer does
};

}  // namespace nutatio::app
