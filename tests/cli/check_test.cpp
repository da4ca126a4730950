#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <sstream>

#include "support/cli_run.h"

using namespace bexto;
using namespace bexto::test;
using Json = nlohmann::json;

namespace {

class CheckCommand : public CliTest {
 protected:
  static Json ruleOf(const std::string& text, const std::string& rule)
  {
    for (const Json& line : linesOf(text)) {
      if (line["type"] == "rule" && line["rule"] == rule)
        return line;
    }
    return {};
  }
};

TEST_F(CheckCommand, PassesOrFailsByItsExitStatus)
{
  const Outcome clean = run("check " + data("uart_8n1_115200.vcd") + " --bus u=uart,rx=rx,baud=115200");
  EXPECT_EQ(clean.status, 0) << clean.err << clean.out;
  const Outcome wrong = run("check " + data("uart_framing_errors.vcd") + " --bus u=uart,rx=rx0,baud=57600");
  EXPECT_EQ(wrong.status, 1) << wrong.err << wrong.out;
  EXPECT_EQ(ruleOf(wrong.out, "framing")["verdict"], "fail");
}

TEST_F(CheckCommand, SaysHowFineTheCaptureIs)
{
  const std::string capture = data("uart_8n1_115200.vcd") + " --bus u=uart,rx=rx,baud=115200";
  EXPECT_TRUE(linesOf(run("check " + capture).out).front().contains("sample_period_from"));
  const Json given = linesOf(run("check --sample-period 10ns " + capture).out).front();
  EXPECT_EQ(given["sample_period_ps"], 10000);
  EXPECT_EQ(given["sample_period_from"], "given");
  const Outcome bad = run("check --sample-period never " + capture);
  EXPECT_EQ(bad.status, 2);
  EXPECT_NE(bad.err.find("--sample-period: 'never' is no length of time"), std::string::npos) << bad.err;
}

TEST_F(CheckCommand, TakesRulebooksByNameAndByFile)
{
  put(path("ours.yaml"),
      "rulebook: ours\nprotocol: uart\nlimits:\n  bit rate error: {max: 0.0001 %, min: -0.0001 %}\n");
  const std::string capture = "check " + data("uart_8n1_115200.vcd") + " --bus u=uart,rx=rx,baud=115200 ";
  const Outcome ours = run(capture + "--rules " + path("ours.yaml") + "@u");
  EXPECT_EQ(ruleOf(ours.out, "bit rate error")["book"], "ours");
  EXPECT_EQ(ruleOf(run(capture + "--rules uart").out, "bit rate error")["limit_max"], 2);
  const Outcome none = run(capture + "--rules uarts");
  EXPECT_EQ(none.status, 2);
  EXPECT_NE(none.err.find("did you mean uart"), std::string::npos) << none.err;
  put(path("bad.yaml"), "rulebook: bad\nprotocol: uart\nlimits:\n  speed: {max: 1 %}\n");
  const Outcome bad = run(capture + "--rules " + path("bad.yaml"));
  EXPECT_EQ(bad.status, 3);
  EXPECT_NE(bad.err.find("bad.yaml, line 4"), std::string::npos) << bad.err;
}

TEST_F(CheckCommand, WritesATestReportWholeOrNotAtAll)
{
  const std::string capture =
      "check " + data("uart_framing_errors.vcd") + " --bus u=uart,rx=rx0,baud=57600 --format junit ";
  const Outcome done = run(capture + "--out " + path("report.xml"));
  EXPECT_EQ(done.status, 1) << done.err;
  const std::string report = contentOf(path("report.xml"));
  EXPECT_EQ(report.rfind("<?xml version=\"1.0\" encoding=\"UTF-8\"?>", 0), 0U);
  EXPECT_NE(report.find("<testsuite name=\"u\""), std::string::npos);
  EXPECT_NE(report.find("<testcase classname=\"u.uart\" name=\"framing\""), std::string::npos);
  EXPECT_NE(report.find("<failure type=\"framing\" message="), std::string::npos);
  EXPECT_EQ(run(capture + "--out /nowhere/report.xml").status, 4);
  EXPECT_EQ(run("decode " + data("uart_framing_errors.vcd") + " --bus u=uart,rx=rx0,baud=57600 --format junit").status,
            2);
}

TEST_F(CheckCommand, HelpNamesTheRulebooks)
{
  const std::string help = run("help check").out;
  EXPECT_NE(help.find("i2c-fast"), std::string::npos);
  EXPECT_NE(help.find("--rules"), std::string::npos);
  EXPECT_EQ(run("check " + data("uart_break.vcd")).status, 2);
}

}  // namespace
