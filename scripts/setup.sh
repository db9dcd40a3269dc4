# SPDX-License-Identifier: MIT
# Installs the Debian packages that are missing, and only those. Source it, then call need_packages NAME...
need_packages() {
  local missing=()
  local package
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
  done
  if [ ${#missing[@]} -eq 0 ]; then
    return 0
  fi
  echo "Installing ${#missing[@]} Debian packages: ${missing[*]}"
  local run=()
  if [ "$(id -u)" -ne 0 ]; then run=(sudo); fi
  "${run[@]}" apt-get update -qq
  DEBIAN_FRONTEND=noninteractive "${run[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

core_packages=(g++ cmake ninja-build libgmp-dev libmpfr-dev libflint-dev libflint-arb-dev libeigen3-dev libfmt-dev libboost-math-dev)
tool_packages=(libasmjit-dev libcli11-dev nlohmann-json3-dev libtomlplusplus-dev libpugixml-dev libcsv-dev libsundials-dev libsuitesparse-dev libceres-dev coinor-libipopt-dev gnuplot-nox fonts-dejavu-core)
test_packages=(doctest-dev gcc pkg-config ccache)
fuzz_packages=(clang libclang-rt-14-dev)
bench_packages=(libbenchmark-dev)
fuzz_targets="fuzz_text fuzz_rules fuzz_model fuzz_mathml fuzz_values fuzz_words"
