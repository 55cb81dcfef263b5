#include "app/tuner/feels_shelf.h"

#include <QFile>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QScrollArea>
#include <QStandardPaths>
#include <QVBoxLayout>

#include "app/look/theme.h"

namespace nutatio::app {

FeelTile::FeelTile(layers::Feel feel, QWidget* parent) : QAbstractButton(parent), m_feel(std::move(feel)) {
    setText(QString::fromStdString(m_feel.name));
    setAccessibleName(tr("Feel: %1").arg(text()));
    setFixedSize(82, 66);
    setFocusPolicy(Qt::StrongFocus);
    m_clock.setInterval(1000 / 24);
    connect(&m_clock, &QTimer::timeout, this, [this] {
        if (!m_motion.frames.empty()) m_frame = (m_frame + 1) % m_motion.frames.size();
        update();
    });
}

void FeelTile::setOn(bool on) {
    if (on == m_on) return;
    m_on = on;
    update();
}

void FeelTile::setMoving(bool moving) {
    if (moving)
        m_clock.start();
    else
        m_clock.stop();
    update();
}

void FeelTile::enterEvent(QEnterEvent*) {
    setMoving(true);
    Q_EMIT hovered(text() + QStringLiteral(". ") + QString::fromStdString(m_feel.about));
}

void FeelTile::leaveEvent(QEvent*) {
    setMoving(false);
    Q_EMIT hovered({});
}

void FeelTile::paintMoment(QPainter& p, std::size_t frame, const QColor& c, double width) const {
    const std::vector<Vec3>& points = m_motion.frames[frame];
    const bool chain = points.size() > 2;
    const auto at = [&](const Vec3& v) {
        return chain ? QPointF(9 + v.x() * 56, 33 - v.y() * 34) : QPointF(34 + v.x() * 36, 44 - v.y() * 32);
    };
    QPolygonF line;
    for (const Vec3& v : points) line << at(v);
    p.setPen(QPen(c, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.drawPolyline(line);
    p.setBrush(c);
    p.setPen(Qt::NoPen);
    p.drawEllipse(line.front(), 2.2, 2.2);
    if (!chain) p.drawEllipse(line.back(), 3.6, 3.6);
}

void FeelTile::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    if (m_motion.frames.empty()) m_motion = layers::feelMotion(m_feel);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF box = QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5);
    p.fillRect(box, m_on ? look::theme().persimmonPale : underMouse() ? t.paper : t.sheet);
    p.setPen(QPen(m_on ? t.persimmon : hasFocus() ? t.lagoon : t.rule, hasFocus() || m_on ? 1.6 : 1));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(box, 3, 3);
    p.save();
    p.setClipRect(QRectF(2, 2, width() - 4, height() - 18));
    if (!m_motion.frames.empty()) {
        if (m_clock.isActive()) {
            for (std::size_t back = 6; back > 0; back -= 2)
                paintMoment(p, (m_frame + m_motion.frames.size() - back) % m_motion.frames.size(),
                            look::faded(t.ink, 0.08 * static_cast<double>(8 - back)), 1.4);
            paintMoment(p, m_frame, t.persimmon, 2.2);
        } else {
            // The moments around the first stop tell most of a feel.
            for (const auto& [frame, alpha] : {std::pair<std::size_t, double>{5, 0.12}, {8, 0.2}, {11, 0.3}, {20, 0.45}})
                paintMoment(p, frame, look::faded(t.ink, alpha), 1.4);
            paintMoment(p, 14, t.ink, 1.8);
        }
    }
    p.restore();
    p.setPen(m_on ? t.ink : t.ink);
    p.setFont(look::textFont(8, m_on ? QFont::Bold : QFont::Normal));
    p.drawText(QRectF(2, height() - 17, width() - 4, 15), Qt::AlignCenter,
               p.fontMetrics().elidedText(text(), Qt::ElideRight, width() - 6));
}

FeelsShelf::FeelsShelf(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_grid(nullptr),
      m_body(nullptr),
      m_name(new QLineEdit),
      m_save(new QPushButton(tr("Save"))) {
    setAccessibleName(tr("Shelf of feels"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(4);
    m_body = new QWidget;
    m_grid = new QGridLayout(m_body);
    m_grid->setContentsMargins(0, 0, 0, 0);
    m_grid->setSpacing(4);
    all->addWidget(m_body);
    auto* own = new QHBoxLayout;
    own->setSpacing(4);
    m_name->setPlaceholderText(tr("Name a feel of your own"));
    m_name->setAccessibleName(tr("Name of your own feel"));
    m_save->setToolTip(tr("Keep how this layer moves now under that name"));
    own->addWidget(m_name, 1);
    own->addWidget(m_save);
    all->addLayout(own);
    connect(m_save, &QPushButton::clicked, this, &FeelsShelf::saveOwn);
    connect(m_name, &QLineEdit::returnPressed, this, &FeelsShelf::saveOwn);
}

QString FeelsShelf::folder() {
    return QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + QStringLiteral("/nutatio/feels");
}

void FeelsShelf::show(const std::string& kind) {
    m_kind = kind;
    build();
    refresh();
}

void FeelsShelf::build() {
    for (FeelTile* t : m_tiles) t->deleteLater();
    m_tiles.clear();
    std::vector<std::string> problems;
    std::vector<layers::Feel> feels = layers::builtInFeels();
    for (layers::Feel& f : layers::feelsIn(folder().toStdString(), problems)) feels.push_back(std::move(f));
    for (const std::string& p : problems) Q_EMIT said(QString::fromStdString(p));
    int k = 0;
    for (layers::Feel& f : feels) {
        if (f.kind != m_kind) continue;
        auto* tile = new FeelTile(std::move(f));
        m_grid->addWidget(tile, k / 3, k % 3, Qt::AlignLeft);
        m_tiles << tile;
        ++k;
        connect(tile, &FeelTile::hovered, this, &FeelsShelf::hovered);
        connect(tile, &QAbstractButton::clicked, this, [this, tile] { Q_EMIT wanted(tile->feel()); });
    }
}

void FeelsShelf::refresh() {
    const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
    for (FeelTile* t : m_tiles) t->setOn(l && layers::hasFeel(*l, t->feel()));
    m_save->setEnabled(l != nullptr);
}

FeelTile* FeelsShelf::tile(const QString& name) const {
    for (FeelTile* t : m_tiles)
        if (t->text() == name) return t;
    return nullptr;
}

void FeelsShelf::saveOwn() {
    const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
    if (!l) return;
    const QString name = m_name->text().trimmed();
    if (name.isEmpty()) {
        Q_EMIT said(tr("Give the feel a name first."));
        m_name->setFocus();
        return;
    }
    QString file;
    for (QChar c : name) file += c.isLetterOrNumber() ? c.toLower() : QChar(u'-');
    // Two names may make one file name: another feel's file is not written over.
    const auto path = [&](int k) {
        return (folder() + u'/' + file + (k > 1 ? QStringLiteral("-%1").arg(k) : QString()) + QStringLiteral(".json"))
            .toStdString();
    };
    int k = 1;
    for (std::vector<std::string> said; QFile::exists(QString::fromStdString(path(k))); ++k) {
        const auto there = layers::readFeel(path(k), said);
        if (there && there.value().name == name.toStdString() && there.value().kind == l->kind) break;
    }
    const auto written = layers::writeFeel(layers::feelOf(*l, name.toStdString()), path(k));
    if (!written) {
        Q_EMIT said(QString::fromStdString(written.error().text()));
        return;
    }
    m_name->clear();
    build();
    refresh();
    Q_EMIT said(tr("Saved the feel \"%1\".").arg(name));
}

}  // namespace nutatio::app
