#pragma once

namespace bexto::bench {

/// What is done with samples while they are captured.
void registerCapture();

}  // namespace bexto::bench
