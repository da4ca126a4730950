#pragma once

namespace bexto::bench {

/// Captures of other formats: rows of text, packed samples.
void registerFormats();

}  // namespace bexto::bench
