"""The Set page: frames that should play alike, from how they are to what was read after."""
