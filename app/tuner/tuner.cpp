#include "app/tuner/tuner.h"
#include "app/tuner/thing_words.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/compare/check_page.h"
#include "app/look/theme.h"
#include "app/prepare/prepare_page.h"
#include "app/tuner/attach_page.h"
#include "edit/edit.h"
#include "layers/feels.h"
#include "layers/registry.h"

namespace nutatio::app {

Tuner::Tuner(Document& document, Session& session, Checker& checker, QWidget* handoff, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_checker(checker),
      m_handoff(handoff),
      m_heading(new QLabel),
      m_title(new QLabel),
      m_help(new QLabel),
      m_remark(new QLabel),
      m_name(new QLineEdit),
      m_scope(new Scope(document, session)),
      m_scroll(new QScrollArea),
      m_feels(new FeelsShelf(document, session)) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 6, 6, 4);
    layout->setSpacing(4);
    m_heading->setObjectName(QStringLiteral("heading"));
    m_title->setFont(look::textFont(11, QFont::Bold));
    m_help->setObjectName(QStringLiteral("soft"));
    m_help->setWordWrap(true);
    m_help->setFixedHeight(28);  // rows do not move while the pointer wanders over them
    m_help->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    m_help->setFont(look::textFont(8.5));
    m_scroll->setObjectName(QStringLiteral("sheet"));
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* top = new QHBoxLayout;
    top->setSpacing(8);
    top->addWidget(m_heading);
    top->addWidget(m_title, 1);
    top->addWidget(m_name, 1);
    m_name->hide();
    m_name->setAccessibleName(tr("Name"));
    connect(m_name, &QLineEdit::editingFinished, this, [this] {
        if (!m_name->isVisible()) return;
        m_name->hide();
        m_title->show();
        const QString name = m_name->text().trimmed();
        if (m_name->isModified() && !name.isEmpty() && m_named) m_named(name);
    });
    layout->addLayout(top);
    layout->addWidget(m_scope);
    m_remark->setWordWrap(true);
    m_remark->hide();
    layout->addWidget(m_handoff, 1);
    layout->addWidget(m_scroll, 1);
    layout->addWidget(m_remark);  // below the rows, which stay where they are when it comes
    layout->addWidget(m_help);
    m_feels->hide();
    connect(m_feels, &FeelsShelf::hovered, m_help, &QLabel::setText);
    connect(m_feels, &FeelsShelf::said, this, &Tuner::said);
    connect(m_feels, &FeelsShelf::wanted, this, [this](const layers::Feel& feel) {
        m_document.edit(tr("Feel: %1").arg(QString::fromStdString(feel.name)),
                        [&](scene::Scene& s) { layers::applyFeel(feel, s, m_session.selection().layer); });
    });
    connect(&session, &Session::frameChanged, this, [this] {
        const scene::Tuned* t = m_tuned ? m_document.scene().tuned(m_tuned->owner()) : nullptr;
        if (t && (!t->feeds.empty() || m_document.scene().shot().keysOf(m_tuned->owner()))) m_tuned->refresh();
    });
    connect(&session, &Session::selectionChanged, this, &Tuner::rebuild);
    connect(&session, &Session::stepChanged, this, &Tuner::rebuild);
    connect(&document, &Document::sceneChanged, this, &Tuner::rebuild);
    connect(&document, &Document::resultsChanged, this, [this] {
        const scene::Tuned* t = m_tuned ? m_document.scene().tuned(m_tuned->owner()) : nullptr;
        if (t && (!t->feeds.empty() || m_tuned->gaugePanel())) m_tuned->refresh();
        showRemark();
        showTravel();
    });
    connect(&document, &Document::replaced, this, [this] { m_lastJoints.clear(); });
    rebuild();
}

std::optional<scene::Owner> Tuner::tuned() const {
    if (m_session.step() != StepId::Tune) return std::nullopt;
    const auto owner = m_session.selection().owner();
    return owner && m_document.scene().tuned(*owner) ? owner : std::nullopt;
}

QString Tuner::page() const {
    const Selection& s = m_session.selection();
    if (m_session.step() == StepId::HandOff) return QStringLiteral("handoff");
    if (m_session.step() == StepId::Prepare) return QStringLiteral("prepare");
    if (m_session.step() == StepId::Check) return QStringLiteral("check");
    if (m_session.step() == StepId::Attach) {
        QString joints;
        for (int j : s.joints) joints += QString::number(j) + u',';
        // What is offered hangs on what is moved already.
        std::string moved;
        for (const scene::Layer& l : m_document.scene().layers)
            if (s.joints.empty()) moved += l.id + ',';
        return QStringLiteral("attach:%1:").arg(m_document.scene().actors.size()) +
               QString::fromStdString(s.actor + ':' + moved) + joints;
    }
    if (const auto owner = tuned()) return shapeOf(m_document.scene(), *owner, m_session);
    return QStringLiteral("none:%1:%2").arg(m_document.scene().layers.size()).arg(m_document.scene().actors.size());
}

QWidget* Tuner::joined(FacePage* page) {
    m_title->setText(page->title());
    connect(page, &FacePage::titleChanged, m_title, &QLabel::setText);
    connect(page, &FacePage::commandWanted, this, &Tuner::commandWanted);
    connect(page, &FacePage::said, this, &Tuner::said);
    return page;
}

QWidget* Tuner::newPage() {
    m_tuned = nullptr;
    if (const auto owner = tuned()) {
        m_heading->setText(tr("TUNER"));
        m_title->setText(titleOf(m_document.scene(), *owner));
        m_tuned = new TunedPage(m_document, m_session, *owner, m_open, m_feels);
        connect(m_tuned, &TunedPage::hovered, m_help, &QLabel::setText);
        connect(m_tuned, &TunedPage::commandWanted, this, &Tuner::commandWanted);
        connect(m_tuned, &TunedPage::said, this, &Tuner::said);
        return m_tuned;
    }
    if (m_session.step() == StepId::HandOff) {
        m_heading->setText(tr("HAND OFF"));
        m_title->setText(tr("Bake keys and write a file"));
        return new QWidget;
    }
    const bool empty = m_document.scene().actors.empty();
    if (m_session.step() == StepId::Prepare) {
        m_heading->setText(tr("PREPARE"));
        return joined(new PreparePage(m_document, m_session, m_checker));
    }
    if (m_session.step() == StepId::Check) {
        m_heading->setText(tr("CHECK"));
        return joined(new CheckPage(m_document, m_session));
    }
    if (m_session.step() == StepId::Attach || empty) {
        m_heading->setText(tr("ATTACH"));
        m_title->setText(AttachPage::title(m_document, m_session));
        auto* page = new AttachPage(m_document, m_session);
        connect(page, &AttachPage::layerWanted, this, &Tuner::layerWanted);
        connect(page, &AttachPage::colliderWanted, this, &Tuner::colliderWanted);
        connect(page, &AttachPage::commandWanted, this, &Tuner::commandWanted);
        connect(page, &AttachPage::layerOnPartsWanted, this, &Tuner::layerOnPartsWanted);
        return page;
    }
    m_heading->setText(tr("TUNER"));
    m_title->setText(tr("Nothing to tune selected"));
    auto* page = new QWidget;
    auto* rows = new QVBoxLayout(page);
    rows->setContentsMargins(0, 0, 8, 0);
    auto* text = new QLabel(m_document.scene().layers.empty()
                                ? tr("There is no layer yet. Select a joint and put one on it under Attach.")
                                : tr("Choose a layer in the stack below, or a collider, wind, pin or actor in the roster."));
    text->setWordWrap(true);
    text->setObjectName(QStringLiteral("soft"));
    rows->addWidget(text);
    rows->addStretch(1);
    return page;
}

void Tuner::rebuild() {
    const Selection& sel = m_session.selection();
    if (const scene::ActorEntry* a = m_document.scene().actor(sel.actor); a && !sel.joints.empty()) {
        m_lastJoints.clear();
        m_lastJointsOf = a->id;
        for (int j : sel.joints) m_lastJoints.push_back(a->actor->skeleton.reference(j));
    }
    if (const scene::ActorEntry* a = m_document.scene().actor(sel.actor); a && a->isPiece()) {
        m_lastJoints = {a->actor->skeleton.reference(0)};
        m_lastJointsOf = a->id;
    }
    const QString now = page();
    if (now != m_page) {
        m_help->clear();  // what was said of a row of the page before
        m_page = now;
        m_feels->setParent(this);  // out of the page that goes
        m_feels->hide();
        const auto owner = tuned();
        // An act moves nothing by itself: there is no answer to a push to show.
        const scene::Layer* chosen = owner && owner->list == scene::List::Layers ? m_document.scene().layer(owner->id) : nullptr;
        const layers::LayerKind* itsKind = chosen ? layers::findKind(chosen->kind) : nullptr;
        m_scope->setVisible(chosen && !(itsKind && itsKind->act));
        m_handoff->setVisible(m_session.step() == StepId::HandOff);
        m_scroll->setVisible(m_session.step() != StepId::HandOff);
        m_help->clear();
        QWidget* body = newPage();
        // The page that goes may hold the very button whose click brought this about.
        if (QWidget* old = m_scroll->takeWidget()) {
            // And what it learns from now on, it tells nobody.
            disconnect(old, nullptr, m_title, nullptr);
            old->hide();
            old->deleteLater();
        }
        m_scroll->setWidget(body);
        m_checker.setWatched(m_session.step() == StepId::Prepare);
    }
    if (m_tuned) {
        m_tuned->setLastJoints(m_lastJoints, m_lastJointsOf);
        m_tuned->refresh();
    }
    showRemark();
    showTravel();
}

/// How far the layer takes the end that it moves most, beside its amount.
void Tuner::showTravel() {
    const scene::Layer* l =
        m_tuned && m_tuned->owner().list == scene::List::Layers ? m_document.scene().layer(m_tuned->owner().id) : nullptr;
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const scene::SettingSpec* amount = kind ? kind->setting(scene::Role::Amount) : nullptr;
    SettingRow* row = amount ? m_tuned->row(std::string(amount->id)) : nullptr;
    const scene::ActorEntry* a = l ? m_document.scene().actor(l->actor) : nullptr;
    if (!row || !a) return;
    const ResultsPtr& r = m_document.results();
    const auto at = r ? r->traces.find(l->id) : decltype(r->traces.begin()){};
    row->setNote(r && at != r->traces.end() ? tr("up to %1 cm").arg(100 * a->actor->metresPerUnit * at->second->most, 0, 'g', 3)
                                            : QString());
}

void Tuner::showRemark() {
    const ResultsPtr& r = m_document.results();
    const auto owner = tuned();
    QStringList lines;
    if (r && owner && owner->list == scene::List::Layers) {
        if (const pipeline::LayerResult* l = r->evaluation.layer(owner->id)) {
            if (!l->problem.empty()) lines << tr("It does nothing: %1.").arg(QString::fromStdString(l->problem));
            if (!l->idle.empty()) lines << tr("It does nothing: %1.").arg(QString::fromStdString(l->idle));
            for (const std::string& remark : l->remarks) lines << QString::fromStdString(remark);
        }
        for (const layers::Came& c : r->evaluation.cameOf(owner->id))
            if (c.less) lines << tr("Frame %1: %2").arg(c.frame + 1).arg(QString::fromStdString(c.text));
    } else if (r && owner && owner->list == scene::List::Colliders && !r->evaluation.actors.empty()) {
        bool met = false, any = false;
        for (const pipeline::ActorResult& a : r->evaluation.actors)
            for (const pipeline::LayerResult& l : a.layers) {
                any |= !l.changed.empty();
                met |= std::find(l.met.begin(), l.met.end(), owner->id) != l.met.end();
            }
        if (!edit::isOn(m_document.scene(), *owner))
            lines << tr("It is switched off.");
        else if (any && !met)
            lines << tr("No layer can reach it in this shot, so it changes nothing.");
    }
    if (const auto said = r && owner ? r->evaluation.said.find(*owner) : decltype(r->evaluation.said.begin()){};
        r && owner && said != r->evaluation.said.end())
        for (const std::string& sentence : said->second) lines << QString::fromStdString(sentence);
    const QString all = lines.join(u'\n');
    if (lines.size() > 2) lines = lines.mid(0, 1) << tr("and %n more such place(s)", nullptr, static_cast<int>(lines.size()) - 1);
    m_remark->setText(lines.join(u'\n'));
    m_remark->setToolTip(all);
    m_remark->setStyleSheet(QStringLiteral("color: %1;").arg(look::theme().ochreText.name()));
    m_remark->setVisible(!lines.isEmpty());
}

void Tuner::askForName(const QString& now, const std::function<void(const QString&)>& done) {
    m_named = done;
    m_title->hide();
    m_name->setText(now);
    m_name->show();
    m_name->setFocus();
    m_name->selectAll();
}

void Tuner::reveal(const std::string& setting) {
    if (!m_tuned) return;
    m_tuned->unfold(setting);
    SettingRow* r = row(setting);
    if (!r) return;
    layout()->activate();
    scrollTo(r);
    if (!r->field()) return;
    r->field()->setFocus();
    r->field()->selectAll();  // what is typed takes the place of the old number
}

void Tuner::setOpen(const QString& group, bool open) {
    if (m_tuned) m_tuned->setOpen(group, open);
}

int Tuner::visibleRows() const {
    int n = 0;
    for (const SettingRow* r : findChildren<SettingRow*>())
        n += r->isVisible() &&
             m_scroll->viewport()->rect().contains(QRect(r->mapTo(m_scroll->viewport(), QPoint(0, 0)), r->size()));
    return n;
}

}  // namespace nutatio::app
