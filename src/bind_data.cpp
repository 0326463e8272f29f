// Looking at files and columns of text.
#include <Rcpp.h>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <limits>

#include <vector>

#include "text_scan.hpp"

namespace {

hylo::Span<const char> letters_of(const Rcpp::RawVector& text) {
  return {reinterpret_cast<const char*>(text.begin()), std::size_t(text.size())};
}

}  // namespace

// zero_byte: the place of the first zero byte (1 for the first byte), NA without one; leading_zeros: see
// core/text_scan.hpp.
// [[Rcpp::export]]
Rcpp::List core_scan_text(std::string file, int threads) {
  const hylo::TextScan scan = hylo::scan_text(file, std::size_t(threads));
  return Rcpp::List::create(Rcpp::_["zero_byte"] = scan.zero_byte < 0 ? NA_REAL : double(scan.zero_byte) + 1,
                            Rcpp::_["leading_zeros"] = scan.leading_zeros, Rcpp::_["ascii"] = scan.ascii,
                            Rcpp::_["doubled_quotes"] = scan.doubled_quotes);
}

// Where records end, behind their line ends; see core/text_scan.hpp.
// [[Rcpp::export]]
Rcpp::NumericVector core_record_ends(Rcpp::RawVector text, std::string separator) {
  const auto ends = hylo::record_ends(letters_of(text), separator[0]);
  return Rcpp::NumericVector(ends.begin(), ends.end());
}

// The bytes from place `from` (1 for the first) to place `to`; none where that lies before.
// [[Rcpp::export]]
Rcpp::RawVector core_bytes(Rcpp::RawVector bytes, double from, double to) {
  if (to < from) return Rcpp::RawVector(0);
  if (from < 1 || to > double(bytes.size())) Rcpp::stop("core_bytes: the places are not there");
  return Rcpp::RawVector(bytes.begin() + R_xlen_t(from) - 1, bytes.begin() + R_xlen_t(to));
}

// Each record of `left` with that of `right` behind it; see core/text_scan.hpp.
// [[Rcpp::export]]
Rcpp::RawVector core_join_records(Rcpp::RawVector left, Rcpp::RawVector right, std::string separator, int threads) {
  Rcpp::RawVector joined;
  const auto room = [&](std::size_t bytes) {
    joined = Rcpp::RawVector(R_xlen_t(bytes));
    return reinterpret_cast<char*>(RAW(joined));
  };
  hylo::join_records(letters_of(left), letters_of(right), separator[0], std::size_t(threads), room);
  return joined;
}

// The bytes of both, one behind the other: c() takes them one by one.
// [[Rcpp::export]]
Rcpp::RawVector core_joined_bytes(Rcpp::RawVector first, Rcpp::RawVector second) {
  Rcpp::RawVector both(first.size() + second.size());
  std::copy(second.begin(), second.end(), std::copy(first.begin(), first.end(), both.begin()));
  return both;
}

// The distinct texts of a column in the order in which they first stand, and the place of each row's text among them
// (NA for missing ones; left out unless they are asked for). R keeps each text once, so texts are told apart by their
// address. Stops after `most` distinct ones.
// [[Rcpp::export]]
Rcpp::List core_levels(Rcpp::CharacterVector x, double most, bool with_codes) {
  const R_xlen_t n = x.size();
  std::vector<SEXP> slot(1024, nullptr);
  std::vector<int> place(1024);
  std::vector<SEXP> found;
  std::size_t mask = slot.size() - 1;
  const auto find = [&](SEXP text) {
    std::size_t at = (reinterpret_cast<std::size_t>(text) >> 5) * 0x9E3779B97F4A7C15ull >> 20 & mask;
    while (slot[at] != nullptr && slot[at] != text) at = (at + 1) & mask;
    return at;
  };
  const auto grow = [&] {
    slot.assign(slot.size() * 4, nullptr);
    place.assign(slot.size(), 0);
    mask = slot.size() - 1;
    for (std::size_t i = 0; i < found.size(); ++i) {
      const std::size_t at = find(found[i]);
      slot[at] = found[i];
      place[at] = int(i) + 1;
    }
  };
  Rcpp::IntegerVector codes(with_codes ? n : 0);
  SEXP missing = NA_STRING;
  for (R_xlen_t i = 0; i < n; ++i) {
    const SEXP text = STRING_ELT(x, i);
    if (text == missing) {
      if (with_codes) codes[i] = NA_INTEGER;
      continue;
    }
    std::size_t at = find(text);
    if (slot[at] == nullptr) {
      if (double(found.size()) >= most) break;
      if (found.size() * 2 > slot.size()) {
        grow();
        at = find(text);
      }
      slot[at] = text;
      found.push_back(text);
      place[at] = int(found.size());
    }
    if (with_codes) codes[i] = place[at];
  }
  Rcpp::CharacterVector levels(found.size());
  for (std::size_t i = 0; i < found.size(); ++i) levels[R_xlen_t(i)] = found[i];
  return Rcpp::List::create(Rcpp::_["levels"] = levels, Rcpp::_["codes"] = codes);
}

// Sums of each column by `group` (1 .. groups), a matrix of groups by columns.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_sums(Rcpp::NumericMatrix columns, Rcpp::IntegerVector group, int groups) {
  if (columns.nrow() != group.size()) Rcpp::stop("core_sums: shapes don't match");
  for (const int g : group) {
    if (g < 1 || g > groups) Rcpp::stop("core_sums: no such group");
  }
  Rcpp::NumericMatrix sums(groups, columns.ncol());
  for (int j = 0; j < columns.ncol(); ++j) {
    const double* const x = columns.begin() + std::ptrdiff_t(j) * columns.nrow();
    double* const sum = sums.begin() + std::ptrdiff_t(j) * groups - 1;
    for (R_xlen_t i = 0; i < group.size(); ++i) sum[group[i]] += x[i];
  }
  return sums;
}

// A hash of each row over columns of numbers (missing alike whatever their type) and texts: rows of the same values
// have the same one.
// [[Rcpp::export]]
Rcpp::IntegerVector core_row_hashes(Rcpp::List columns, int rows) {
  std::vector<std::uint64_t> hash(std::size_t(rows), 14695981039346656037ull);
  const auto add = [&](std::size_t i, const void* bytes, std::size_t count) {
    const unsigned char* at = static_cast<const unsigned char*>(bytes);
    for (std::size_t k = 0; k < count; ++k) hash[i] = (hash[i] ^ at[k]) * 1099511628211ull;
    hash[i] = (hash[i] ^ 0xffu) * 1099511628211ull;  // so that texts end
  };
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    const SEXP x = columns[c];
    if (Rf_xlength(x) != rows) Rcpp::stop("core_row_hashes: columns of different length");
    for (int i = 0; i < rows; ++i) {
      if (TYPEOF(x) == STRSXP) {
        const SEXP text = STRING_ELT(x, i);
        const char* bytes = text == NA_STRING ? "\x01" : Rf_translateCharUTF8(text);
        add(std::size_t(i), bytes, std::strlen(bytes));
      } else if (TYPEOF(x) == REALSXP) {
        double value = REAL(x)[i];
        if (std::isnan(value)) value = std::numeric_limits<double>::quiet_NaN();
        if (value == 0) value = 0;
        add(std::size_t(i), &value, sizeof value);
      } else {
        Rcpp::stop("core_row_hashes: a column is neither numbers nor texts");
      }
    }
  }
  Rcpp::IntegerVector result(rows);
  for (int i = 0; i < rows; ++i) {
    const std::int32_t folded = std::int32_t(std::uint32_t(hash[std::size_t(i)] ^ (hash[std::size_t(i)] >> 32)));
    result[i] = folded == NA_INTEGER ? 0 : folded;
  }
  return result;
}

// The places, from 1, at which one of the wanted texts stands. Texts of R's are one object where they are the same in
// one encoding, as those of a closed set are; nothing is made but the result.
// [[Rcpp::export]]
Rcpp::IntegerVector core_places_of(Rcpp::CharacterVector texts, Rcpp::CharacterVector wanted) {
  const auto is_wanted = [&](SEXP text) {
    for (R_xlen_t k = 0; k < wanted.size(); ++k) {
      if (STRING_ELT(wanted, k) == text) return true;
    }
    return false;
  };
  R_xlen_t count = 0;
  for (R_xlen_t i = 0; i < texts.size(); ++i) count += is_wanted(STRING_ELT(texts, i));
  Rcpp::IntegerVector places(Rcpp::no_init(count));
  for (R_xlen_t i = 0, at = 0; at < count; ++i) {
    if (is_wanted(STRING_ELT(texts, i))) places[at++] = int(i + 1);
  }
  return places;
}

// The shortest of 15 to 17 digits that read back as the same number, of each.
// [[Rcpp::export]]
Rcpp::CharacterVector core_shortest_texts(const Rcpp::NumericVector& x) {
  Rcpp::CharacterVector texts(x.size());
  char text[40];
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (!std::isfinite(x[i])) {
      texts[i] = R_IsNA(x[i]) ? "NA" : std::isnan(x[i]) ? "NaN" : x[i] > 0 ? "Inf" : "-Inf";
      continue;
    }
    for (int digits = 15; digits <= 17; ++digits) {
      std::snprintf(text, sizeof text, "%.*g", digits, x[i]);
      if (std::strtod(text, nullptr) == x[i]) break;
    }
    texts[i] = text;
  }
  return texts;
}
