#include <doctest/doctest.h>

#include <cli/tool.hpp>
#include <cmath>

using namespace renth::test;
using nlohmann::json;

namespace {

/// The tank study, planned, measured and fitted.
void make_tank(const Tool& tool) {
  tool("init tank --demo tank");
  tool("-s tank plan");
  tool("-s tank run -q");
}

const json& row_of(const json& anova, const std::string& source) {
  for (const json& row : anova)
    if (row["source"] == source) return row;
  static const json none;
  return none;
}

bool has(const json& list, const std::string& text) {
  return contains(list.dump(), text);
}

/// x1^a*x2^b… at a point.
double term_value(const std::string& term, const std::map<std::string, double>& at) {
  double out = 1;
  std::size_t begin = 0;
  while (begin < term.size() && term != "1") {
    const std::size_t end = std::min(term.find('*', begin), term.size());
    const std::string factor = term.substr(begin, end - begin);
    const std::size_t hat = factor.find('^');
    out *= std::pow(at.at(factor.substr(0, hat)),
                    hat == std::string::npos ? 1 : std::stod(factor.substr(hat + 1)));
    begin = end + 1;
  }
  return out;
}

}  // namespace

TEST_CASE("fit polynomial writes what the contract promises, and it hangs together") {
  const Tool tool;
  make_tank(tool);
  const json document = tool("-s tank fit polynomial --json").json();
  REQUIRE(document["models"].size() == 2);
  const json& m = document["models"][0];
  for (const char* key :
       {"terms", "natural_terms", "anova", "equation", "dropped", "stationary", "standouts", "quality"})
    CHECK(m.contains(key));
  // Sources in order; sequential sums and shares add up; natural terms are the same polynomial.
  std::string order;
  for (const json& row : m["anova"]) order += row["source"].get<std::string>() + " ";
  CHECK(order ==
        "model linear products squares damping draft period damping*draft damping*period "
        "draft*period "
        "damping^2 draft^2 period^2 residual lack_of_fit pure_error total ");
  const json& anova = m["anova"];
  CHECK(row_of(anova, "lack_of_fit")["ss"].get<double>() + row_of(anova, "pure_error")["ss"].get<double>() ==
        doctest::Approx(row_of(anova, "residual")["ss"].get<double>()).epsilon(1e-10));
  CHECK(row_of(anova, "model")["share"].get<double>() + row_of(anova, "residual")["share"].get<double>() ==
        doctest::Approx(1));
  CHECK(row_of(anova, "total")["df"] == 18);
  const json predicted =
      tool("-s tank predict --at damping=63,draft=0.2,period=1.31 --json").json()["predictions"][0];
  double sum = 0;
  for (const json& t : m["natural_terms"])
    sum += t["coefficient"].get<double>() *
           term_value(t["term"], {{"damping", 63}, {"draft", 0.2}, {"period", 1.31}});
  CHECK(predicted["responses"]["heave"]["mean"].get<double>() == doctest::Approx(sum).epsilon(1e-11));
  // t is coefficient over error; its square is the F of a term of one column.
  for (const json& t : m["terms"]) {
    if (t["term"] == "1") continue;
    CHECK(std::pow(t["t"].get<double>(), 2) ==
          doctest::Approx(row_of(anova, t["term"])["f"].get<double>()).epsilon(1e-8));
    CHECK(t["p"].get<double>() == doctest::Approx(row_of(anova, t["term"])["p"].get<double>()).epsilon(1e-8));
  }
  // The stationary point is flat: a step to either side changes the same.
  const json& flat = m["stationary"];
  CHECK((flat["kind"] == "ridge" || flat["kind"] == "saddle" || flat["kind"] == "maximum"));
  CHECK(flat["eigen"].size() == 3);
  CHECK(m["ridge_path"]["highest"].size() == 11);
  const auto table = tool("-s tank fit polynomial --response heave");
  for (const char* words :
       {"Analysis of variance", "lack_of_fit", "constant variance: ", "Surface:", "In real units"})
    CHECK(contains(table.out, words));
  CHECK(tool("-s tank fit polynomial --json").out == tool("-s tank fit polynomial --json --threads 1").out);
}

TEST_CASE("Longley's table, imported as it is, comes out to ten digits") {
  const Tool tool;
  tool.write("longley.csv",
             "deflator,gnp,unemployed,forces,population,year,employed\n"
             "83.0,234289,2356,1590,107608,1947,60323\n88.5,259426,2325,1456,108632,1948,61122\n"
             "88.2,258054,3682,1616,109773,1949,60171\n89.5,284599,3351,1650,110929,1950,61187\n"
             "96.2,328975,2099,3099,112075,1951,63221\n98.1,346999,1932,3594,113270,1952,63639\n"
             "99.0,365385,1870,3547,115094,1953,64989\n100.0,363112,3578,3350,116219,1954,63761\n"
             "101.2,397469,2904,3048,117388,1955,66019\n104.6,419180,2822,2857,118734,1956,67857\n"
             "108.4,442769,2936,2798,120445,1957,68169\n110.8,444546,4681,2637,121950,1958,66513\n"
             "112.6,482704,3813,2552,123366,1959,68655\n114.2,502601,3931,2514,125368,1960,69564\n"
             "115.7,518173,4806,2572,127852,1961,69331\n116.9,554894,4007,2827,130081,1962,70551\n");
  CHECK(tool("init l --from longley.csv --responses employed").status == 0);
  const json m = tool("-s l fit polynomial --model linear --json").json()["models"][0];
  const double certified[] = {-3482258.63459582, 15.0618722713733,    -0.0358191792925910, -2.02022980381683,
                              -1.03322686717359, -0.0511041056535807, 1829.15146461355};
  for (std::size_t t = 0; t < 7; ++t)
    CHECK(m["natural_terms"][t]["coefficient"].get<double>() == doctest::Approx(certified[t]).epsilon(1e-11));
  CHECK(m["quality"]["sigma"].get<double>() == doctest::Approx(304.854073561965).epsilon(1e-11));
  CHECK(m["quality"]["r2"].get<double>() == doctest::Approx(0.995479004577296).epsilon(1e-11));
  CHECK(has(tool("-s l trust --json").json()["responses"][0]["reasons"], "inflated"));
}

TEST_CASE("terms go by hand or by rule, with every step told, and heredity keeps what is needed") {
  const Tool tool;
  make_tank(tool);
  const json m = tool("-s tank fit polynomial --response heave --choose backward --json").json()["models"][0];
  std::string left;
  for (const json& t : m["terms"]) left += t["term"].get<std::string>() + " ";
  CHECK(left == "1 damping draft period damping*period draft*period period^2 ");
  CHECK(m["dropped"].size() == 3);
  for (const json& d : m["dropped"])
    CHECK((d["step"].is_number() && d["p"].get<double>() > 0.10 && contains(d["rule"], "to stay")));
  REQUIRE(m["kept"].size() == 1);
  CHECK((m["kept"][0]["term"] == "draft" && contains(m["kept"][0]["because"], "draft*period")));
  CHECK(contains(tool("-s tank fit polynomial --response heave --choose backward").out,
                 "draft stays although p ="));
  // The steps are kept with the surrogate: the figure of effects shows the chosen model.
  CHECK(contains(tool("-s tank equation").out, "heave = "));
  CHECK_FALSE(contains(tool("-s tank equation").out, "damping^2"));

  const json best = tool("-s tank fit polynomial --response heave --choose best-subset --by bic --json")
                        .json()["models"][0];
  CHECK(best["terms"].size() <= 8);
  const json dropped =
      tool("-s tank fit polynomial --response heave --drop draft^2 --drop damping*draft --json")
          .json()["models"][0];
  CHECK(dropped["terms"].size() == 8);
  CHECK(dropped["dropped"][0]["rule"] == "asked for");
  const auto refused = tool("-s tank fit polynomial --response heave --drop draft");
  CHECK(refused.status == 2);
  CHECK(contains(refused.err, "needs it"));
  CHECK(contains(refused.err, "--no-heredity"));
  for (const char* wrong : {"fit polynomial --choose best-subset --by p", "fit polynomial --keep draft",
                            "fit kriging --drop draft", "fit polynomial --choose forward --enter 0.3",
                            "fit polynomial --drop nothing", "fit polynomial --transform cube"}) {
    CAPTURE(wrong);
    CHECK(tool(std::string("-s tank ") + wrong).status == 2);
  }
}

TEST_CASE("a transformed and a weighted response, and what they are refused for") {
  const Tool tool;
  make_tank(tool);
  const json plain = tool("-s tank fit polynomial --response force --json").json()["models"][0];
  const json logs = tool("-s tank fit polynomial --response force --transform log --json").json();
  CHECK(has(logs["notes"], "transformed"));
  CHECK(logs["models"][0]["transform"] == 0.0);
  CHECK(contains(logs["models"][0]["equation"], "log(force) = "));
  // The prediction is the equation carried back.
  const json p = tool("-s tank predict --json").json()["predictions"][0];
  double sum = 0;
  for (const json& t : logs["models"][0]["natural_terms"])
    sum += t["coefficient"].get<double>() *
           term_value(t["term"], {{"damping", 80}, {"draft", 0.19}, {"period", 1.325}});
  const json& force = p["responses"]["force"];
  CHECK(force["mean"].get<double>() == doctest::Approx(std::exp(sum)).epsilon(1e-10));
  CHECK(std::log(force["confidence"][1].get<double>()) - sum ==
        doctest::Approx(sum - std::log(force["confidence"][0].get<double>())).epsilon(1e-8));
  CHECK(tool("-s tank fit polynomial --transform box-cox").status == 0);

  const json weighted =
      tool("-s tank fit polynomial --response force --weights '1/force^2' --json").json()["models"][0];
  CHECK(weighted["weights"] == "1/force^2");
  CHECK(weighted["terms"][1]["coefficient"] != plain["terms"][1]["coefficient"]);
  CHECK_FALSE(has(tool("-s tank predict --json").json()["notes"], "out_of_date"));
  // Weights all alike change nothing.
  const json alike = tool("-s tank fit polynomial --response force --weights 3 --json").json()["models"][0];
  CHECK(alike["terms"][1]["t"].get<double>() ==
        doctest::Approx(plain["terms"][1]["t"].get<double>()).epsilon(1e-10));
  const auto negative = tool("-s tank fit polynomial --weights 'force - 300'");
  CHECK(negative.status == 2);
  CHECK(contains(negative.err, "would have weight"));
}

TEST_CASE("a saturated fit says so, tells what is active, and how many runs to add") {
  const Tool tool;
  tool("init tank --demo tank");
  tool("-s tank plan full-factorial");
  tool("-s tank run -q");
  const auto fit =
      tool("-s tank fit polynomial --response heave --model 'products + damping*draft*period' --json");
  CHECK(fit.status == 1);
  const json m = fit.json()["models"][0];
  CHECK(m["verdict"] == "unfit");
  CHECK(has(fit.json()["notes"], "R² = 1 means nothing"));
  CHECK(row_of(m["anova"], "model")["p"].is_null());
  CHECK(row_of(m["anova"], "pure_error")["ss"].is_null());
  CHECK(m["terms"][1]["std_error"].is_null());
  CHECK(m["lenth"]["margin"].get<double>() > 0);
  const json trust = tool("-s tank trust --response heave --json").json()["responses"][0];
  CHECK(has(trust["reasons"], "Lenth"));
  CHECK(has(trust["next"], "drop the smallest terms"));
  CHECK(tool("-s tank draw effects -o effects.svg").status == 1);
  const auto refused = tool("-s tank draw residuals -o residuals.svg");
  CHECK(refused.status == 2);
  CHECK(contains(refused.err, "no residuals to look at"));
}

TEST_CASE(
    "corners with centre runs show curvature, and the next step names the axial stage; with it the row "
    "goes") {
  const Tool tool;
  tool("init tank --demo tank");
  tool("-s tank plan central-composite --stage corners --centre 5 --batch first");
  tool("-s tank run -q");
  const json first = tool("-s tank fit polynomial --response force --json").json()["models"][0];
  CHECK(row_of(first["anova"], "curvature")["p"].get<double>() < 0.05);
  const json trust = tool("-s tank trust --response force --json").json()["responses"][0];
  CHECK(has(trust["reasons"], "curvature p"));
  CHECK(has(trust["next"], "--stage axial --of BATCH"));
  CHECK(tool("-s tank plan central-composite --stage axial --of first").status == 0);
  tool("-s tank run -q");
  const json second = tool("-s tank fit polynomial --response force --json").json()["models"][0];
  CHECK(row_of(second["anova"], "curvature").is_null());
  CHECK(row_of(second["anova"], "squares")["df"] == 3);
  CHECK(row_of(second["anova"], "blocks")["df"] == 1);
  CHECK(has(tool("-s tank predict --json").json(), "force"));
}

TEST_CASE("exported C gives what predict gives, with choices and a transformed response") {
  const Tool tool;
  tool("init buoy --demo buoy");
  tool("-s buoy plan --runs 70");
  tool("-s buoy run -q");
  CHECK(tool("-s buoy fit polynomial --response mass --transform sqrt --json").status <= 1);
  const Answer exported = tool("-s buoy export c --response mass -o mass.c");
  CHECK(exported.status <= 1);
  CHECK(contains(exported.out, "next: cc -std=c99 -O2 -c mass.c"));
  tool.write("use.c",
             "#include \"mass.c\"\n#include <stdio.h>\nint main(void) { const double x[] = {4.5, 3.25, 150, "
             "60, 3, 1}; "
             "printf(\"%.17g\", mass_mean(x)); return 0; }\n");
  REQUIRE(tool.shell("cc -std=c99 -O2 -c mass.c && cc -Wall -Werror -o mass use.c -lm").status == 0);
  const json p =
      tool("-s buoy predict --at radius=4.5,draft=3.25,damping=150,mooring=60,plates=3,hull=composite --json")
          .json();
  CHECK(std::stod(tool.shell("./mass").out) ==
        doctest::Approx(p["predictions"][0]["responses"]["mass"]["mean"].get<double>()).epsilon(1e-9));
  CHECK(contains(tool("-s buoy equation --response mass --format latex").out, "\\begin{aligned}"));
  CHECK(contains(tool("-s buoy equation --response mass --format latex --digits 4").out,
                 "\\mathrm{hull}_{\\mathrm{composite}}"));
  const std::string csv = tool("-s buoy equation --response mass --format csv --coded").out;
  CHECK(csv.rfind("term,coefficient\n1,", 0) == 0);
  const auto curve = tool("-s buoy equation --response absorbed");
  CHECK(curve.status == 2);
}

TEST_CASE("hard data: constant, too few, a parameter that never moves, confounded, a huge offset") {
  const Tool tool;
  const auto study = [&](const std::string& name, const std::string& rows) {
    tool.write(name + ".csv", "a,b,y\n" + rows);
    return tool("init " + name + " --from " + name + ".csv --responses y").status;
  };
  CHECK(study("constant", "1,1,5\n2,2,5\n3,1,5\n4,2,5\n5.5,1,5\n6,2.5,5\n") == 0);
  const auto constant = tool("-s constant fit polynomial --model linear --json");
  CHECK(constant.status == 1);
  CHECK(has(constant.json()["notes"], "nothing to explain"));
  CHECK(constant.json()["models"][0]["quality"]["r2"].is_null());
  CHECK(study("few", "1,1,5\n2,2,6\n3,1,9\n") == 0);
  const auto few = tool("-s few fit polynomial --model quadratic");
  CHECK(few.status == 2);
  CHECK(contains(few.err, "3 runs are too few for 6 terms"));
  CHECK(contains(few.err, "add at least 3 runs"));
  CHECK(study("confounded", "1,2,5\n2,4,6\n3,6,9\n4,8,11\n5,10,12\n6.5,13,15\n") == 0);
  const auto confounded = tool("-s confounded fit polynomial --model linear");
  CHECK(confounded.status == 2);
  CHECK(contains(confounded.err, "b with"));
  CHECK(contains(confounded.err, "a"));
  CHECK(study("offset",
              "1,1,1000000001\n2,2,1000000000\n3,1,1000000003\n4,2,1000000002\n5.5,1,1000000005.5\n6,2.5,"
              "1000000003\n7,1.5,1000000006\n") == 0);
  const json offset = tool("-s offset fit polynomial --model linear --json").json()["models"][0];
  CHECK(offset["natural_terms"][1]["coefficient"].get<double>() ==
        doctest::Approx(1).epsilon(1e-9));  // y = 1e9 + 2 + a − 2b
  CHECK(offset["natural_terms"][2]["coefficient"].get<double>() == doctest::Approx(-2).epsilon(1e-9));
  // A run set aside changes the fit, and restoring it brings the same bytes back.
  make_tank(tool);
  const std::string before = tool("-s tank fit polynomial --json").out;
  tool("-s tank set-aside 8 --why 'the carriage shook' --response heave");
  const json without = tool("-s tank fit polynomial --json").json();
  CHECK(without["models"][0]["runs"] == 18);
  CHECK(without["models"][1]["runs"] == 19);
  tool("-s tank restore 8 --response heave");
  CHECK(tool("-s tank fit polynomial --json").out == before);
}

TEST_CASE("every figure of a fit is drawn, and what cannot be is refused") {
  const Tool tool;
  make_tank(tool);
  tool("-s tank fit polynomial");
  for (const char* figure :
       {"residuals", "residuals --against damping", "effects --response force", "main-effects",
        "interaction --x draft --y period", "surface", "overlap", "contour", "slices"}) {
    CAPTURE(figure);
    const auto drawn = tool(std::string("-s tank draw ") + figure + " -o figure.png");
    CHECK(drawn.status == 0);
    CHECK(tool.read("figure.png").substr(1, 3) == "PNG");
  }
  // Also when no run stands out, and nothing is drawn of residuals that are rounding.
  std::string grid = "a,b,y\n";
  for (int i = 0; i < 16; ++i)
    grid += std::to_string(i % 4) + "," + std::to_string(i / 4) + "," + std::to_string(i % 4 + 3 * (i / 4)) +
            "." + (i * 7 % 5 < 3 ? "01" : "02") + "\n";
  tool.write("grid.csv", grid);
  tool("init grid --from grid.csv --responses y");
  CHECK(tool("-s grid fit polynomial --model linear --json").json()["models"][0]["standouts"].empty());
  CHECK(tool("-s grid draw residuals -o grid.png").status == 0);
  tool.write("exact.csv", "a,y\n0,1\n1,3\n2,5\n3.5,8\n4,9\n5,11\n");
  tool("init exact --from exact.csv --responses y");
  CHECK(has(tool("-s exact fit polynomial --model linear --json").json()["notes"], "meets every run"));
  CHECK(contains(tool("-s exact draw residuals -o exact.png").err, "nothing but rounding"));
  CHECK(has(tool("-s tank draw overlap --at draft=0.16 -o o.svg --json").json()["notes"], "matter most"));
  const auto nowhere = tool("-s tank draw overlap --x draft --y period --at damping=110 -o o.svg");
  CHECK(nowhere.status == 1);
  CHECK(contains(nowhere.out, "nowhere in this picture"));
  CHECK(tool("-s tank draw interaction --x draft --y draft -o i.svg").status == 2);
  CHECK(tool("-s tank draw residuals --against nobody -o i.svg").status == 2);
}

TEST_CASE("figures of a fit take levels, choices and hostile names" * doctest::test_suite("long")) {
  const Tool tool;
  tool("init buoy --demo buoy");
  tool.shell("sed -i \"s/label = \\\"hull material\\\"/label = \\\"hull {^_}@ 'x'\\\"/\" buoy/study.toml");
  tool("-s buoy plan --runs 60");
  tool("-s buoy run -q");
  tool("-s buoy fit polynomial --response mass,load,power");
  for (const char* figure :
       {"residuals --against hull", "residuals --against plates", "main-effects --response mass",
        "interaction --response mass --x plates --y hull", "interaction --response mass --x radius --y hull",
        "overlap", "slices --response mass", "effects --response load"}) {
    CAPTURE(figure);
    CHECK(tool(std::string("-s buoy draw ") + figure + " -o figure.svg").status <= 1);
    CHECK(contains(tool.read("figure.svg"), "</svg>"));
  }
  const auto levels = tool("-s buoy draw overlap --x plates --y radius -o o.svg");
  CHECK(levels.status == 2);
  CHECK(contains(levels.err, "nothing between its values"));
}

TEST_CASE("ten terms on twenty runs are reported on: F(10, 10) at a half, where Newton's steps give up") {
  const Tool tool;
  std::string rows = "a,b,c,y\n";
  for (int i = 0; i < 20; ++i) {
    const double a = std::sin(3.1 * i), b = std::cos(5.3 * i), c = std::sin(7.7 * i + 1);
    for (const double value : {a, b, c}) rows += std::to_string(value) + ",";
    rows += std::to_string(a * a + b - a * c + 0.1 * std::sin(100.0 * i)) + "\n";
  }
  tool.write("ten.csv", rows);
  REQUIRE(tool("init ten --from ten.csv --responses y").status == 0);
  const Answer fitted = tool("-s ten fit polynomial --model quadratic --json");
  CHECK(fitted.status <= 1);
  CHECK(fitted.json()["models"][0]["terms"].size() == 10);
  const Answer told = tool("-s ten trust --json");
  CHECK(told.status <= 1);
}

TEST_CASE("every verb works on a polynomial that no run can be left out of") {
  const Tool tool;
  tool("init . --demo tank");
  tool("plan full-factorial");
  tool("run -q");
  const Answer fit = tool("fit polynomial --model 'products + damping*draft*period' --json");
  REQUIRE(fit.status == 1);
  CHECK(fit.json()["models"][0]["verdict"] == "unfit");
  CHECK(fit.json()["models"][0]["quality"]["q2"].is_null());
  const auto trust = tool("trust --json").json()["responses"][0];
  for (const auto& r : trust["residuals"]) CHECK(r["cross_validated"].is_null());
  for (const char* command :
       {"trust", "rank", "predict --at damping=80", "extremes", "seek", "equation --response heave",
        "confirm", "draw slices --response heave -o f.svg", "draw predicted-observed -o f.svg",
        "draw effects --response heave -o f.svg",
        "draw contour --x damping --y draft --response heave -o f.svg", "draw importance -o f.svg",
        "export model -o m.json", "predict --from-model m.json --at damping=70,draft=0.2,period=1.3"}) {
    CAPTURE(command);
    const Answer a = tool(command);
    CAPTURE(a.err);
    CHECK(a.status <= 1);
  }
  CHECK(contains(tool.read("f.svg"), "is unfit"));
  CHECK(contains(tool("draw error-map --response heave -o f.svg").err, "no error estimate to map"));
}
