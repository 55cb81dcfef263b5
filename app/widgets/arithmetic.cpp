#include "app/widgets/arithmetic.h"

#include <cmath>

namespace nutatio::app {

namespace {

class Reader {
  public:
    explicit Reader(const QString& text) : m_text(text) { m_text.remove(u' ').replace(u',', u'.'); }

    std::optional<double> all() {
        const double v = sum();
        return m_good && m_at == m_text.size() && std::isfinite(v) ? std::optional(v) : std::nullopt;
    }

  private:
    QChar peek() const { return m_at < m_text.size() ? m_text[m_at] : QChar(); }
    bool take(char16_t c) {
        if (peek() != c) return false;
        ++m_at;
        return true;
    }
    double sum() {
        double v = product();
        for (;;) {
            if (take(u'+'))
                v += product();
            else if (take(u'-'))
                v -= product();
            else
                return v;
        }
    }
    double product() {
        double v = factor();
        for (;;) {
            if (take(u'*'))
                v *= factor();
            else if (take(u'/'))
                v /= factor();
            else
                return v;
        }
    }
    double factor() {
        // Depth is bounded so that a pasted wall of brackets cannot exhaust the stack.
        if (++m_depth > 100) m_good = false;
        double v = 0;
        if (!m_good) {
            // nothing more to read
        } else if (take(u'-')) {
            v = -factor();
        } else if (take(u'(')) {
            v = sum();
            m_good = take(u')') && m_good;
        } else {
            const qsizetype from = m_at;
            while (peek().isDigit() || peek() == u'.') ++m_at;
            bool good = false;
            v = m_text.mid(from, m_at - from).toDouble(&good);
            m_good = m_good && good;
        }
        --m_depth;
        return v;
    }

    QString m_text;
    qsizetype m_at = 0;
    int m_depth = 0;
    bool m_good = true;
};

}  // namespace

std::optional<double> arithmetic(const QString& text) {
    return Reader(text).all();
}

}  // namespace nutatio::app
