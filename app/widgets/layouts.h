// Layouts of pages.
#pragma once

#include <QHBoxLayout>
#include <QVBoxLayout>
#include <initializer_list>

namespace reed::ui {

/// A vertical layout of the whole `page`, without margins.
inline QVBoxLayout* columnOf(QWidget* page, int spacing) {
    auto* out = new QVBoxLayout(page);
    out->setContentsMargins(0, 0, 0, 0);
    out->setSpacing(spacing);
    return out;
}

/// A vertical layout of a whole dialog, with its usual margins.
inline QVBoxLayout* columnOfDialog(QWidget* dialog, int spacing = 10) {
    QVBoxLayout* out = columnOf(dialog, spacing);
    out->setContentsMargins(18, 16, 18, 16);
    return out;
}

/// Widgets in a row, aligned left.
inline QHBoxLayout* rowOf(std::initializer_list<QWidget*> widgets, int spacing = 10) {
    auto* out = new QHBoxLayout;
    out->setSpacing(spacing);
    for (QWidget* w : widgets) out->addWidget(w);
    out->addStretch(1);
    return out;
}

}  // namespace reed::ui
