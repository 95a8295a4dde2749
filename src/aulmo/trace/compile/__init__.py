"""How kernels are compiled and kept."""
