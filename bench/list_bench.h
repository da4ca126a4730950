#pragma once

namespace bexto::bench {

void registerLists();

}  // namespace bexto::bench
