// Scenes beside the open one - takes, cells of a spread - evaluated while nothing else is.
#pragma once

#include <QObject>
#include <memory>
#include <string>
#include <vector>

#include "app/document/document.h"
#include "app/document/newest_wins.h"

namespace nutatio::app {

/// Evaluates scenes one after the other, with all that the document's own evaluator knows. The document goes first: while it
/// simulates nothing is begun here, and what runs is given up.
class Aside : public QObject {
    Q_OBJECT
  public:
    explicit Aside(Document& document, QObject* parent = nullptr);
    ~Aside() override;

    struct Wanted {
        std::string id;
        std::shared_ptr<const scene::Scene> scene;
    };
    /// What is wanted from now on, the most urgent first. Of what was wanted before, in the same scene, the result stays; of
    /// what is wanted in another one, too, until there is a new one.
    void want(std::vector<Wanted> wanted);

    struct Got {
        std::shared_ptr<const scene::Scene> scene;  // that it is of
        std::shared_ptr<const pipeline::Evaluation> evaluation;
    };
    /// Null until it is there.
    const Got* of(const std::string& id) const;
    /// All that is wanted is there, as it is wanted.
    bool done() const;
    /// Of all motion that is known, here and to the document.
    std::size_t bytes() const { return m_evaluator.cachedBytes(); }

  Q_SIGNALS:
    void ready(const std::string& id);
    void failed(const QString& sentence);

  private:
    void next();
    void put(const Wanted& wanted, const std::shared_ptr<const pipeline::Evaluation>& made, const QString& why);

    Document& m_document;
    pipeline::Evaluator m_evaluator;
    std::vector<Wanted> m_wanted;
    std::vector<std::pair<std::string, Got>> m_got;
    std::vector<std::string> m_refused;               // that cannot be evaluated
    NewestWins m_worker{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
