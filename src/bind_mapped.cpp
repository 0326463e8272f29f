// Columns of a stored table as R's vectors without being read: their values are mapped from the file, page by page as
// they are looked at. What R writes into such a vector stays with R, the file is never changed.

#include <algorithm>
#include <memory>
#include <stdexcept>
#include <string>

#include "altrep.h"
#include "mapped_file.hpp"

namespace {

R_altrep_class_t real_class, whole_class, flag_class;

const hylo::MappedFile& file_of(SEXP x) {
  return *static_cast<hylo::MappedFile*>(R_ExternalPtrAddr(R_altrep_data1(x)));
}

void close_file(SEXP pointer) {
  delete static_cast<hylo::MappedFile*>(R_ExternalPtrAddr(pointer));
  R_ClearExternalPtr(pointer);
}

template <std::size_t kBytes>
R_xlen_t length_of(SEXP x) {
  return R_xlen_t(file_of(x).bytes() / kBytes);
}

void* data_of(SEXP x, Rboolean) { return file_of(x).data(); }

const void* data_if_there(SEXP x) { return file_of(x).data(); }

double real_at(SEXP x, R_xlen_t i) { return static_cast<const double*>(file_of(x).data())[i]; }

int whole_at(SEXP x, R_xlen_t i) { return static_cast<const int*>(file_of(x).data())[i]; }

Rboolean look_at(SEXP x, int, int, int, void (*)(SEXP, int, int, int)) {
  Rprintf(" mapped from a file, %.0f bytes\n", double(file_of(x).bytes()));
  return TRUE;
}

template <std::size_t kBytes>
void set_methods(R_altrep_class_t type) {
  R_set_altrep_Length_method(type, length_of<kBytes>);
  R_set_altrep_Inspect_method(type, look_at);
  R_set_altvec_Dataptr_method(type, data_of);
  R_set_altvec_Dataptr_or_null_method(type, data_if_there);
}

}  // namespace

// [[Rcpp::init]]
void register_mapped_columns(DllInfo* package) {
  real_class = R_make_altreal_class("mapped_real", "hylomath", package);
  whole_class = R_make_altinteger_class("mapped_whole", "hylomath", package);
  flag_class = R_make_altlogical_class("mapped_flag", "hylomath", package);
  set_methods<sizeof(double)>(real_class);
  set_methods<sizeof(int)>(whole_class);
  set_methods<sizeof(int)>(flag_class);
  R_set_altreal_Elt_method(real_class, real_at);
  R_set_altinteger_Elt_method(whole_class, whole_at);
  R_set_altlogical_Elt_method(flag_class, whole_at);
}

// Whether all of them are missing or from `low` to `high`: the code that uses them relies on it.
bool lie_within(const hylo::MappedFile& file, int low, int high) {
  const int* values = static_cast<const int*>(file.data());
  return std::all_of(values, values + file.bytes() / sizeof(int),
                     [=](int value) { return value == NA_INTEGER || (value >= low && value <= high); });
}

// The values of a file of little-endian doubles ("real") or 32-bit integers ("whole", "flag"), with these attributes;
// whole ones are places among as many levels as there are. NULL where a value can't be one.
// [[Rcpp::export]]
SEXP core_mapped_column(std::string path, std::string type, Rcpp::List attributes) {
  const R_altrep_class_t kind = type == "real" ? real_class : type == "whole" ? whole_class : flag_class;
  auto file = std::make_unique<hylo::MappedFile>(path);
  const int levels = type == "whole" ? int(Rf_xlength(attributes["levels"])) : 0;
  if (type != "real" && !lie_within(*file, type == "flag" ? 0 : 1, type == "flag" ? 1 : levels)) return R_NilValue;
  Rcpp::Shield<SEXP> pointer(R_MakeExternalPtr(file.release(), R_NilValue, R_NilValue));
  R_RegisterCFinalizerEx(pointer, close_file, TRUE);
  Rcpp::Shield<SEXP> column(R_new_altrep(kind, pointer, R_NilValue));
  if (attributes.size() == 0) return column;
  const Rcpp::CharacterVector names = attributes.names();
  for (R_xlen_t i = 0; i < attributes.size(); ++i) {
    Rf_setAttrib(column, Rf_install(names[i]), attributes[i]);
  }
  return column;
}
