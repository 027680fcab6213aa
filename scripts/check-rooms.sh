#!/bin/sh
# A room of src/renth includes only itself and those before it in this list, and what predicts includes nothing
# that is not in the standard library, Eigen or a header-only package. Says every breach with file and line.
set -eu
cd "$(dirname "$0")/.."
git ls-files --cached --others --exclude-standard 'src/renth/*.cpp' 'src/renth/*.hpp' 'src/renth/*.inc' | sort -u |
  awk '
    BEGIN {
      count = split("base numeric space terms expression problem surrogate predict " \
                    "fit plan quality selection adaptive sensitivity tolerance search " \
                    "table study store solver running workflow document figure report export cli", rooms, " ")
      for (i = 1; i <= count; ++i) place[rooms[i]] = i
      # What needs a library is of the core, though it is about numbers.
      split("cholesky_inverse descend lapack parallel singular_values symmetric_eigen tall_qr", of_core, " ")
      for (i in of_core) core["numeric/" of_core[i]] = 1
      forbidden = "^(mutex|thread|future|condition_variable|shared_mutex|filesystem|fstream|iostream|chrono|ctime|" \
                  "unistd.h|cblas.h|lapacke.h|nlopt.*|tbb/.*|sqlite3.h|csv.h|toml.*|CLI/.*)$"
    }
    {
      if ($0 ~ /^src\/renth\/[a-z]+[.]hpp$/) next  # the version, and all public headers at once
      file = $0
      sub(/^src\/renth\//, "", file)
      room = file
      sub(/\/.*/, "", room)
      stem = file
      sub(/\.[a-z]+$/, "", stem)
      if (!(room in place)) tell($0, 1, "no room is called " room)
      predicts = place[room] <= place["predict"] && !(stem in core)
      line = 0
      while ((getline text < $0) > 0) {
        ++line
        if (!match(text, /^ *# *include *[<"][^>"]+[>"]/)) continue
        included = text
        sub(/^ *# *include *[<"]/, "", included)
        sub(/[>"].*/, "", included)
        if (predicts && included ~ forbidden) tell($0, line, "what predicts may not include " included)
        if (included !~ /^renth\// || included == "renth/version.hpp") continue
        sub(/^renth\//, "", included)
        other = included
        sub(/\/.*/, "", other)
        if (!(other in place)) tell($0, line, "no room is called " other)
        else if (place[other] > place[room]) tell($0, line, room " may not include " other ", which comes after it")
        sub(/\.[a-z]+$/, "", included)
        if (predicts && included in core) tell($0, line, "what predicts may not include " included ", which needs a library")
      }
      close($0)
      ++files
    }
    function tell(file, line, what) {
      printf "%s:%d: %s\n", file, line, what
      ++breaches
    }
    END {
      if (files == 0) tell("src/renth", 0, "no file was read")
      if (breaches > 0) exit 1
      printf "%d files keep to their rooms\n", files
    }'
