#!/usr/bin/python3
"""Prints the output level of every strip, the loudness of the output, and mute and scene when they change.

Needs python3-gi. Ctrl+C ends it; Dusky Reed then stops sending levels by itself.
"""
from gi.repository import Gio, GLib

reed = Gio.DBusProxy.new_for_bus_sync(
    Gio.BusType.SESSION, Gio.DBusProxyFlags.NONE, None,
    "org.duskyreed.DuskyReed", "/org/duskyreed/DuskyReed", "org.duskyreed.Control", None)


def on_signal(_proxy, _sender, name, arguments):
    if name == "LevelsChanged":
        strips, momentary, _short_term = arguments.unpack()
        levels = ", ".join(f"{strip} {peak:.1f} dBFS" for strip, _, _, peak, _ in strips)
        print(f"{levels}; output {momentary:.1f} LUFS", flush=True)
    elif name in ("MutedChanged", "SceneChanged"):
        print(name, *arguments.unpack(), flush=True)


reed.connect("g-signal", on_signal)
reed.call_sync("SubscribeLevels", GLib.Variant("(b)", (True,)), Gio.DBusCallFlags.NONE, -1, None)
GLib.MainLoop().run()
