"""What is wrong with the parts: found, told in millimetres, mended."""
