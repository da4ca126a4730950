#pragma once

namespace bexto::bench {

void registerChecks();

}  // namespace bexto::bench
