"""Small widgets that know nothing of stages."""
