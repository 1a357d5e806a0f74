"""A person at the real window: an X server of its own, a window manager, keys and clicks by xdotool."""
