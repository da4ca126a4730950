#pragma once

namespace bexto::bench {

void registerDevices();

}  // namespace bexto::bench
