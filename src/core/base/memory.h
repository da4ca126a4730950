#pragma once

namespace bexto {

/// For programs that decode the same capture again and again: memory that one decode frees stays with the process for
/// the next, up to a quarter of a gigabyte. First touching a page costs more than writing a frame to it.
void keepFreedMemory();

}  // namespace bexto
