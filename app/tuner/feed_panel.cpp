#include "app/tuner/feed_panel.h"

#include <QGridLayout>
#include <QVBoxLayout>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"
#include "edit/gauges.h"
#include "layers/registry.h"
#include "rig/parts.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

QString unitOf(scene::Unit unit) {
    return unit == scene::Unit::Share ? QStringLiteral("%") : qs(scene::unitText(unit));
}

}  // namespace

FeedPanel::FeedPanel(Document& document, Session& session, scene::Owner owner, const scene::SettingSpec& spec, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_owner(std::move(owner)),
      m_spec(spec),
      m_gauges(new QComboBox),
      m_response(new ResponseEdit),
      m_more(new QWidget),
      m_straight(new QToolButton) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 2, 0, 8);
    all->setSpacing(4);
    m_gauges->setAccessibleName(tr("Gauge that %1 follows").arg(qs(spec.label)));
    m_gauges->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    all->addWidget(m_gauges);
    connect(m_gauges, &QComboBox::activated, this, &FeedPanel::chooseGauge);
    auto* more = new QVBoxLayout(m_more);
    more->setContentsMargins(0, 0, 0, 0);
    more->setSpacing(4);
    more->addWidget(m_response);
    connect(m_response, &ResponseEdit::changed, this, [this](const scene::Keys& response, const QString& gesture) {
        change(
            tr("Response of %1").arg(qs(m_spec.label)), [&](scene::Feed& f) { f.response = response; }, gesture);
    });
    auto* grid = new QGridLayout;
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(4);
    grid->setVerticalSpacing(3);
    // What one of what is shown is in the feed: a frame, a hundredth of a share.
    const auto times = [] { return 1.0; };
    const auto frames = [this] { return 1 / m_document.scene().shot().fps; };
    const auto values = [this] { return m_spec.unit == scene::Unit::Share ? 0.01 : 1.0; };
    const std::tuple<QString, QString, double scene::Feed::*, std::function<double()>, QString> rows[] = {
        {tr("Times"), QStringLiteral("x"), &scene::Feed::times, times,
         tr("What the gauge reads is multiplied by this first: for a smaller or a larger character.")},
        {tr("Lag"), tr("f"), &scene::Feed::lag, frames, tr("How many frames late it follows; below 0 ahead of the gauge.")},
        {tr("Attack"), tr("f"), &scene::Feed::attack, frames, tr("Frames until a reading that jumps up is followed.")},
        {tr("Release"), tr("f"), &scene::Feed::release, frames, tr("Frames until a reading that drops is let go.")},
        {tr("Least"), unitOf(spec.unit), &scene::Feed::low, values,
         tr("What the setting never goes below; empty: no such limit.")},
        {tr("Most"), unitOf(spec.unit), &scene::Feed::high, values,
         tr("What the setting never goes above; empty: no such limit.")}};
    int at = 0;
    for (const auto& [label, unit, member, one, help] : rows) {
        auto* name = new QLabel(label);
        name->setFont(look::textFont(9));
        name->setToolTip(help);
        auto* field = new QLineEdit;
        field->setFont(look::figureFont(9));
        field->setAlignment(Qt::AlignRight);
        field->setFixedWidth(52);
        field->setToolTip(help);
        field->setAccessibleName(tr("%1 of the feed").arg(label));
        auto* of = new QLabel(unit);
        of->setObjectName(QStringLiteral("soft"));
        grid->addWidget(name, at / 2, at % 2 * 3);
        grid->addWidget(field, at / 2, at % 2 * 3 + 1);
        grid->addWidget(of, at / 2, at % 2 * 3 + 2);
        m_fields[at] = {field, member, one};
        connect(field, &QLineEdit::editingFinished, this, [this, which = m_fields[at], label = label] {
            if (!which.field->isModified()) return;
            which.field->setModified(false);
            const bool none = which.field->text().trimmed().isEmpty();
            if (const auto v = none ? std::optional(0.0) : arithmetic(which.field->text()))
                change(tr("%1 of the feed").arg(label), [&](scene::Feed& f) {
                    f.*which.member = none ? scene::Feed{}.*which.member : *v * which.one();
                    f.attack = std::max(0.0, f.attack);
                    f.release = std::max(0.0, f.release);
                });
            refresh();
        });
        ++at;
    }
    grid->setColumnStretch(2, 1);
    grid->setColumnStretch(5, 1);
    more->addLayout(grid);
    m_straight->setObjectName(QStringLiteral("chip"));
    m_straight->setCheckable(true);
    m_straight->setStyleSheet(QStringLiteral("padding: 3px 8px;"));
    m_straight->setText(tr("Goes on straight beyond its ends"));
    m_straight->setToolTip(tr("On: readings beyond the last point go on along its line. Off: the end values hold."));
    more->addWidget(m_straight, 0, Qt::AlignLeft);
    connect(m_straight, &QToolButton::clicked, this,
            [this](bool on) { change(tr("Response of %1").arg(qs(m_spec.label)), [on](scene::Feed& f) { f.straight = on; }); });
    all->addWidget(m_more);
    refresh();
}

const scene::Feed* FeedPanel::feed() const {
    const scene::Tuned* t = m_document.scene().tuned(m_owner);
    if (!t) return nullptr;
    const auto at = t->feeds.find(m_spec.id);
    return at == t->feeds.end() ? nullptr : &at->second;
}

void FeedPanel::change(const QString& name, const std::function<void(scene::Feed&)>& how, const QString& gesture) {
    const scene::Feed* now = feed();
    if (!now) return;
    scene::Feed next = *now;
    how(next);
    if (next == *now) return;
    m_document.edit(
        name, [&](scene::Scene& s) { s.tuned(m_owner)->feeds[std::string(m_spec.id)] = next; }, gesture);
}

void FeedPanel::chooseGauge(int index) {
    const std::string setting(m_spec.id);
    const QString id = m_gauges->itemData(index).toString();
    if (id.isEmpty()) {
        if (feed())
            m_document.edit(tr("Let %1 go of its gauge").arg(qs(m_spec.label)),
                            [&](scene::Scene& s) { edit::unfeed(s, m_owner, setting); });
        return;
    }
    scene::Scene next = m_document.scene();
    std::string gauge = id.toStdString();
    if (id == QLatin1String("+")) {
        const scene::ActorEntry* a = next.actor(m_session.lastActor());
        gauge = edit::addGauge(next, a->id, a->actor->skeleton.reference(m_session.lastJoint()));
    }
    const scene::Gauge* g = std::as_const(next).gauge(gauge);
    if (!g) return;
    const ResultsPtr& r = m_document.results();
    const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(gauge) : nullptr;
    scene::Feed f = edit::newFeed(next, m_owner, setting, *g, reading ? reading->values : scene::Curve{}, m_session.frame());
    if (const scene::Feed* was = feed()) {
        f.lag = was->lag;
        f.attack = was->attack;
        f.release = was->release;
    }
    const auto done = edit::feed(next, m_owner, setting, f);
    if (!done) {
        Q_EMIT said(QString::fromStdString(done.error().sentence));
        m_listed.clear();
        refresh();
        return;
    }
    m_document.edit(tr("Feed %1").arg(qs(m_spec.label)), [&](scene::Scene& s) { s = next; });
}

void FeedPanel::refresh() {
    const scene::Scene& s = m_document.scene();
    const scene::Feed* now = feed();
    QString listed = now ? QString::fromStdString(now->gauge) : QString();
    for (const scene::Gauge& g : s.gauges) listed += u'\n' + QString::fromStdString(g.id + '\n' + g.name);
    listed += u'\n' + QString::fromStdString(m_session.lastActor()) + QString::number(m_session.lastJoint());
    if (listed != m_listed) {
        m_listed = listed;
        m_gauges->clear();
        m_gauges->addItem(tr("Follows no gauge"), QString());
        for (const scene::Gauge& g : s.gauges) {
            m_gauges->addItem(QString::fromStdString(g.name), QString::fromStdString(g.id));
            if (now && g.id == now->gauge) m_gauges->setCurrentIndex(m_gauges->count() - 1);
        }
        if (const scene::ActorEntry* a = s.actor(m_session.lastActor()); a && m_session.lastJoint() >= 0)
            m_gauges->addItem(tr("New gauge: speed of %1")
                                  .arg(QString::fromStdString(rig::plainName(a->actor->skeleton, m_session.lastJoint()))),
                              QStringLiteral("+"));
        else if (s.gauges.empty())
            m_gauges->addItem(tr("Select a joint for a new gauge first"), QString());
    }
    m_more->setVisible(now != nullptr);
    if (!now) return;
    const scene::Gauge* g = s.gauge(now->gauge);
    const ResultsPtr& r = m_document.results();
    const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(now->gauge) : nullptr;
    m_response->setAxes(m_spec.soft, unitOf(m_spec.unit), g ? unitOf(scene::unitOf(*g)) : QString());
    m_response->setFeed(*now);
    m_response->setReadings(reading ? reading->values : scene::Curve{}, m_session.frame());
    for (const Field& f : m_fields)
        if (!(f.field->hasFocus() && f.field->isModified())) {
            const double v = now->*f.member / f.one();
            f.field->setText(std::isfinite(v) ? QString::number(v, 'g', 4) : QString());
        }
    m_straight->setChecked(now->straight);
}

}  // namespace nutatio::app
