// How a verb is told at which setting to look: --at, --proposal or --mark.
#pragma once
#include <renth/cli/cli.hpp>
#include <renth/workflow/named_settings.hpp>

namespace renth::cli {

struct SettingOptions {
  std::string at, proposal, mark;

  /// \param what  such as "the setting held".
  void declare(CLI::App& app, const std::string& what) {
    auto* by_settings =
        app.add_option("--at", at, what + ": settings such as radius=5,hull=steel; the rest is nominal");
    auto* by_rank =
        app.add_option("--proposal", proposal, "a proposal of the last seek instead: 1, or SCENARIO:1")
            ->excludes(by_settings);
    app.add_option("--mark", mark, "a setting kept by renth mark instead")
        ->excludes(by_settings)
        ->excludes(by_rank);
  }
  SettingAsked asked() const {
    SettingAsked out{{}, proposal, mark};
    if (!at.empty()) out.at = parse_settings(at, "--at");
    return out;
  }
};

}  // namespace renth::cli
