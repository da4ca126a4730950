#pragma once

#include <memory>
#include <string>
#include <utility>
#include <vector>

namespace bexto {

/// A device sheet as it was written: what a session keeps, so that it reads the same when the file has changed or is
/// gone. What it means is the business of core/device.
struct SheetText {
  std::string name;  ///< of its file, without folder: "LT-20.yaml"
  std::string text;  ///< YAML
  bool operator==(const SheetText&) const = default;
};

/// The sheets of a bus. A value that shares its list, because buses are copied a lot.
class SheetTexts {
 public:
  SheetTexts() = default;
  explicit SheetTexts(std::vector<SheetText> sheets)
      : m_sheets(sheets.empty() ? nullptr : std::make_shared<const std::vector<SheetText>>(std::move(sheets)))
  {
  }

  bool empty() const { return m_sheets == nullptr; }
  const std::vector<SheetText>& list() const
  {
    static const std::vector<SheetText> kNone;
    return m_sheets ? *m_sheets : kNone;
  }
  bool operator==(const SheetTexts& other) const { return m_sheets == other.m_sheets || list() == other.list(); }

 private:
  std::shared_ptr<const std::vector<SheetText>> m_sheets;
};

}  // namespace bexto
