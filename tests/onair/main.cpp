// As tests/app, but with a session bus of its own (run under dbus-run-session).
#include "app/main.cpp"
