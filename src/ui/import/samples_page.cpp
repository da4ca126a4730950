#include "ui/import/samples_page.h"

#include <QFileInfo>
#include <QFormLayout>
#include <QLineEdit>

#include "core/base/number_text.h"
#include "core/base/time_text.h"
#include "core/format/packed_reader.h"
#include "core/signal/packed_samples.h"
#include "ui/text/text.h"
#include "ui/theme/theme.h"

namespace bexto::ui {

SamplesPage::SamplesPage(const QString& path, const ReadHints& before, QWidget* parent)
    : ImportPage(parent),
      m_bytes(QFileInfo(path).size()),
      m_packed(path.endsWith(QStringLiteral(".gz"))),
      m_channels(new QLineEdit),
      m_rate(new QLineEdit)
{
  m_channels->setObjectName(QStringLiteral("channels"));
  m_channels->setText(QString::number(before.channels > 0 ? before.channels : 8));
  m_rate->setObjectName(QStringLiteral("rate"));
  m_rate->setPlaceholderText(tr("24 MHz"));
  if (before.rate > 0)
    m_rate->setText(rateText(before.rate));
  for (QLineEdit* const field : {m_channels, m_rate}) {
    setType(*field, Face::Data, 12);
    sized(*field, [field] { field->setFixedWidth(px(140)); });
    connect(field, &QLineEdit::textChanged, this, &ImportPage::changed);
  }
  auto* form = new QFormLayout(this);
  form->setContentsMargins(0, 0, 0, 0);
  form->addRow(tr("Channels"), m_channels);
  form->addRow(tr("Samples a second"), m_rate);
  setFocusProxy(m_rate);
}

ReadHints SamplesPage::hints() const
{
  return {parseFrequency(m_rate->text().toStdString()).value_or(0), m_channels->text().trimmed().toUInt(), {}};
}

QString SamplesPage::problem() const
{
  const double rate = hints().rate;
  if (hints().channels < 1 || hints().channels > kMostPackedChannels)
    return tr("There can be 1 to %1 channels.").arg(kMostPackedChannels);
  if (m_rate->text().trimmed().isEmpty())
    return tr("How fast the samples are is not said; write it like 24 MHz.");
  if (!(rate >= SampleClock::lowestRate() && rate <= SampleClock::highestRate()))
    return tr("'%1' is no rate; write it like 24 MHz.").arg(m_rate->text());
  if (!m_packed && m_bytes < static_cast<qint64>(bytesPerSample(hints().channels)))
    return tr("There is not one whole sample of so many channels in it.");
  return {};
}

QString SamplesPage::outcome() const
{
  const ReadHints wanted = hints();
  const std::size_t width = bytesPerSample(wanted.channels);
  const QString each = countOf(width, kBytes);
  if (m_packed)
    return tr("A sample takes %1.").arg(each);
  const auto samples = static_cast<std::uint64_t>(m_bytes) / width;
  const QString length =
      toQString(lengthText(wholePicoseconds(static_cast<double>(samples - 1) * 1e12 / wanted.rate), 6));
  return tr("A sample takes %1. That makes %2 samples over %3.").arg(each, toQString(countText(samples)), length);
}

}  // namespace bexto::ui
