"""What a surface makes of light."""
