#include <doctest/doctest.h>

#include <nlohmann/json.hpp>
#include <renth/solver/digest.hpp>
#include <renth/solver/render.hpp>
#include <renth/solver/slurm.hpp>
#include <support_files.hpp>

using namespace renth;
using namespace renth::test;

namespace {

const std::vector<Symbol> template_symbols = {{"radius", Symbol::Kind::number, {}, {}},
                                              {"hull", Symbol::Kind::choice, {"steel", "glass fibre"}, {}},
                                              {"plates", Symbol::Kind::number, {}, {}},
                                              {"run", Symbol::Kind::number, {}, {}}};

std::string fill(const std::string& text, double radius = 0.1 + 0.2, double plates = 4) {
  return InputTemplate(text, template_symbols, "in.template").fill({radius, 1, plates, 12});
}

Study study_in(const Scratch& f, const std::string& solver) {
  return parse_study(
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"radius\"\nspan = [0, 9]\n[[parameter]]\nname = "
      "\"hull\"\nchoices = [\"steel\", \"wood\"]\n"
      "[[parameter]]\nname = \"depth\"\nfixed = 50\n[[axis]]\nname = \"period\"\npoints = [5, "
      "7.5]\n[[response]]\nname = \"power\"\n[[response]]\nname = "
      "\"curve\"\nalong = \"period\"\n[solver]\nkind = \"process\"\noutput = \"json\"\n" +
          solver,
      f.path);
}

}  // namespace

TEST_CASE("templates take values at full precision, by printf's formats, and as expressions") {
  CHECK(fill("r={{radius}} h={{ hull }} n={{run}}") == "r=0.30000000000000004 h=glass fibre n=12");
  CHECK(fill("{{radius:%.6e}}|{{radius:%8.3f}}|{{plates:%03d}}|{{hull:%-12s}}|") ==
        "3.000000e-01|   0.300|004|glass fibre |");
  CHECK(fill("{{2 * plates + 1}} {{hull == 'steel' ? 1 : 2}} {{plates > 3 && radius < 1 ? 10 : 20:%.1f}}") ==
        "9 2 10.0");
  CHECK(fill("no placeholder { } }} here") == "no placeholder { } }} here");
  CHECK(fill("{{round(radius * 10):%d}}") == "3");
}

TEST_CASE("what is wrong with a template is told with its line") {
  for (const auto& [text, says] :
       std::map<std::string, std::string>{{"a\nb {{speed}}", "unknown parameter speed: in.template:2"},
                                          {"{{radius", "{{ without }}"},
                                          {"{{radius\n}}", "{{ without }}"},
                                          {"{{radius:%q}}", "\"%q\" is not a format"},
                                          {"{{radius:%n}}", "\"%n\" is not a format"},
                                          {"{{hull:%.2f}}", "does not suit hull"},
                                          {"{{radius:%s}}", "does not suit radius"},
                                          {"{{radius > 3}}", "is a condition"},
                                          {"{{radius = 3}}", "radius = 3"},
                                          {"{{2 * speed}}", "speed"},
                                          {"{{}}", "unknown parameter"}}) {
    CAPTURE(text);
    CHECK_THROWS_WITH_AS(fill(text), doctest::Contains(says.c_str()), Error);
  }
  CHECK_THROWS_WITH_AS(fill("{{radius:%d}}"), doctest::Contains("not a whole number"), Error);
  CHECK_THROWS_AS(fill("{{1 / (plates - 4)}}"), Error);  // not finite
}

TEST_CASE("a call gets its folder, all inputs, links, and the command") {
  const Scratch f;
  f.write("case.in.template", "r {{radius:%.2f}}\n");
  f.write("sub/bc.dat", "depth {{depth}} at {{period}} in run {{run}}\n");
  f.write("mesh.bin", std::string("\0{{binary}}", 11));
  const Study study = study_in(
      f,
      "command = [\"solve\", \"{input}\", \"-o={output}\", \"{run}\", \"{folder}\", \"{study}\"]\ninput = "
      "[\"case.in.template\", "
      "\"sub/bc.dat\"]\nlinks = [\"mesh.bin\"]\noutput_file = \"out/result.json\"\nper = \"period\"\n");
  const InputRenderer renderer(study);
  const Call call{3, 1};
  const Settings settings = {{"radius", 2.0}, {"hull", std::string("wood")}};
  const auto files = renderer.files(call, settings);
  REQUIRE(files.size() == 2);
  CHECK(files[0].name == "case.in");
  CHECK(files[0].text == "r 2.00\n");
  CHECK(files[1].text == "depth 50 at 7.5 in run 3\n");
  std::filesystem::create_directories(f.path / "runs");
  renderer.prepare(call, files);
  const std::string folder = (f.path / "runs/000003/point-02").string();
  CHECK(renderer.command(call) == std::vector<std::string>{"solve", folder + "/case.in",
                                                           "-o=" + folder + "/out/result.json", "3", folder,
                                                           f.path.string()});
  CHECK(f.read("runs/000003/point-02/mesh.bin") == f.read("mesh.bin"));
  CHECK(digest_in(study, call) == digest_of(files));
  CHECK_THROWS_WITH_AS(renderer.files(call, {{"radius", 2.0}}), doctest::Contains("no value for hull"),
                       Error);
}

TEST_CASE("without a template the input is JSON with the run and the axis point") {
  const Scratch f;
  const Study study = study_in(f, "command = [\"solve\"]\nper = \"period\"\n");
  const auto document = nlohmann::json::parse(
      InputRenderer(study).files({7, 0}, {{"radius", 0.1}, {"hull", std::string("steel")}})[0].text);
  CHECK(document == nlohmann::json{{"run", 7}, {"radius", 0.1}, {"hull", "steel"}, {"period", 5.0}});
}

TEST_CASE("inputs are hashed as sha256sum does") {
  // FIPS 180-4, appendix B.1 of FIPS 180-2, and the empty message.
  CHECK(sha256("abc") == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  CHECK(sha256("") == "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
}

TEST_CASE("commands reach a shell word for word, and queue states are told apart") {
  CHECK(call_script({"solve", "a b", "it's", "$HOME"}) == "exec 'solve' 'a b' 'it'\\''s' '$HOME'\n");
  CHECK(task_state("NODE_FAIL") == TaskState::node_failed);
  CHECK(task_state("TIMEOUT") == TaskState::timed_out);
  CHECK(task_state("OUT_OF_MEMORY") == TaskState::out_of_memory);
  CHECK(task_state("COMPLETING") == TaskState::running);
  CHECK(task_state("PENDING") == TaskState::waiting);
  CHECK(task_state("SOMETHING_NEW") == TaskState::running);  // the scheduler still knows it: wait
}

TEST_CASE("a field may be wider than any line, and a format of any length is judged") {
  const Scratch f;
  const Study study = study_in(f, "command = [\"solve\"]\n");
  const auto fill = [&](const std::string& text) {
    return InputTemplate(text, study.parameter_symbols(), "t").fill({2.5, 0, 3, 50});
  };
  const std::string wide = fill("{{radius:%999.3f}}");
  CHECK(wide.size() == 999);
  CHECK(wide.substr(994) == "2.500");
  CHECK(fill("{{radius:%-600.99f}}|").size() == 601);
  for (const std::string& format :
       {"%" + std::string(100'000, '0') + "d", std::string("%1000f"), std::string("%.100f"), std::string("%"),
        std::string("%n"), std::string("%ld"), std::string("%5.f")})
    CHECK_THROWS_WITH_AS(fill("{{radius:" + format + "}}"), doctest::Contains("is not a format"), Error);
}

TEST_CASE("what is put into the command is not looked into again") {
  const Scratch f;
  const std::filesystem::path odd = f.path / "a {run} {output}";
  std::filesystem::create_directories(odd);
  const Study study = parse_study(
      "[study]\nname = \"s\"\n[[parameter]]\nname = \"x\"\nspan = [0, 1]\n[[response]]\nname = "
      "\"y\"\n[solver]\nkind = \"process\"\noutput = \"json\"\ncommand = [\"solve\", \"{input}\", "
      "\"{run}{run}\", \"{study}/{run}\"]\n",
      odd);
  CHECK(InputRenderer(study).command({7, -1}) ==
        std::vector<std::string>{"solve", (odd / "runs/000007/input.json").string(), "77",
                                 odd.string() + "/7"});
}
