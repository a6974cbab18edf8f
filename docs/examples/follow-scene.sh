#!/bin/sh
# Recalls the scene of the same name whenever a streaming app changes its scene.
# Standard input: the name of the new scene, one a line, as a script of the streaming app prints it.
# Scenes that Dusky Reed does not have are named on standard error and change nothing.
while IFS= read -r scene; do
  if [ -n "$scene" ]; then dusky-reed --send scene "$scene" || true; fi
done
