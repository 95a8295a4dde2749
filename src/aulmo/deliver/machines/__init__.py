"""Other machines of the office: they join a list over its network and take pieces of its renders."""
