#include "model/shared/shortcut_text.h"

#include <QRegularExpression>
#include <bit>

namespace reed::ui {
namespace {

/// In the range of Qt::Key that Qt leaves free, below Key_unknown.
constexpr int kMouseKeys = 0x01f00000;

}  // namespace

Qt::Key mouseKey(Qt::MouseButton button) {
    // Qt::BackButton is bit 3.
    const auto bits = static_cast<unsigned>(button);
    const int number = std::has_single_bit(bits) ? std::countr_zero(bits) + 1 : 0;
    if (number < kFirstMouseButton || number > kLastMouseButton) return Qt::Key_unknown;
    return static_cast<Qt::Key>(kMouseKeys + number);
}

int mouseButtonOf(int key) {
    const int number = key - kMouseKeys;
    return number >= kFirstMouseButton && number <= kLastMouseButton ? number : 0;
}

QString shortcutText(const QKeySequence& key, QKeySequence::SequenceFormat format) {
    const int number = key.isEmpty() ? 0 : mouseButtonOf(key[0].key());
    if (number == 0) return key.toString(format);
    // The modifiers as Qt writes them.
    QString text = QKeySequence(QKeyCombination(key[0].keyboardModifiers(), Qt::Key_A)).toString(format);
    text.chop(1);
    return text + QStringLiteral("Mouse %1").arg(number);
}

QKeySequence shortcutFromText(const QString& text) {
    static const QRegularExpression kMouse("^((?:\\w+\\+)*)Mouse (\\d{1,2})$");
    const auto mouse = kMouse.match(text);
    if (!mouse.hasMatch()) return QKeySequence::fromString(text, QKeySequence::PortableText);
    const QString modifiers = mouse.captured(1) + 'A';
    const QKeySequence with(modifiers, QKeySequence::PortableText);
    const int key = kMouseKeys + mouse.captured(2).toInt();
    // Qt skips words that are no modifiers.
    if (with.toString(QKeySequence::PortableText) != modifiers || mouseButtonOf(key) == 0) return {};
    return {QKeyCombination(with[0].keyboardModifiers(), static_cast<Qt::Key>(key))};
}

}  // namespace reed::ui
