#pragma once

namespace bexto::bench {

void registerLiveBenches();

}  // namespace bexto::bench
