#pragma once

class QLocale;

namespace bexto::ui {

/// Looks up the texts of the core in the context "core" of the application's translators. Call once, before jobs run.
void translateTheCore();

/// Loads what there is in that language: bexto_XX.qm from a folder `translations` of the program's data folders (XDG:
/// ~/.local/share/bexto, then those of the system), and Qt's own texts for dialogs. Where there is nothing, texts stay
/// English. Whether there is a bexto_XX.qm; then the core is translated too. Requires the application.
/// docs/translating.md says how such a file is made.
bool useLanguage(const QLocale& locale);

}  // namespace bexto::ui
