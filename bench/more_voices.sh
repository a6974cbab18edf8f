# Sourced by bench/suppression: unpacks voices that are no plain talk in $folder (removed at the end): talk, cries, laughs
# and songs of many speakers. Nothing of it is kept or shipped. Packages: ffmpeg sox unzip, and apt to fetch the rest.
folder=$(mktemp -d)
trap 'rm -rf "$voices" "$folder"' EXIT
mkdir -p "$folder"/{talk,cries,laughs,sung,unpacked}
(
  cd "$folder/unpacked"
  apt-get download -q hedgewars-data openarena-data asterisk-core-sounds-en-g722 asterisk-core-sounds-es-g722 >/dev/null 2>&1
  for package in *.deb; do dpkg-deb -x "$package" "${package%%_*}"; done
)
into_wav() { ffmpeg -loglevel error -y -i "$1" -ar 48000 -ac 1 -sample_fmt s16 "$2" </dev/null; }
for speaker in "$folder"/unpacked/hedgewars-data/usr/share/games/hedgewars/Data/Sounds/voices/*; do
  name=$(basename "$speaker")
  pieces=()
  for phrase in Hello Youllregretthat Takecover Reinforcements Illgetyou Comeonthen Justyouwait Leavemealone Whatthe; do
    [ -f "$speaker/$phrase.ogg" ] || continue
    ffmpeg -loglevel error -y -i "$speaker/$phrase.ogg" -ar 48000 -ac 1 -af "apad=pad_dur=0.7" "$folder/$phrase.flac" </dev/null
    pieces+=("$folder/$phrase.flac")
  done
  sox "${pieces[@]}" "$folder/talk/$name.wav" gain -n -9 pad 0.5 0
  rm -f "${pieces[@]}"
  for phrase in Nooo Ow1 Ow2 Ow3 Ow4 Ooff1 Ooff2 Ooff3 Kamikaze Jump1 Ouch; do
    if [ -f "$speaker/$phrase.ogg" ]; then into_wav "$speaker/$phrase.ogg" "$folder/cries/$name-$phrase.wav"; fi
  done
  if [ -f "$speaker/Laugh.ogg" ]; then into_wav "$speaker/Laugh.ogg" "$folder/laughs/$name.wav"; fi
  if [ "$name" = Singer ]; then
    for phrase in "$speaker"/*.ogg; do into_wav "$phrase" "$folder/sung/$(basename "$phrase" .ogg).wav"; done
  fi
done
n=0
for phrase in $(find "$folder/unpacked" -name '*.g722' | grep -E 'demo-thanks|vm-advopts|conf-getpin|privacy-prompt|vm-intro|queue-thankyou' | sort); do
  n=$((n + 1))
  into_wav "$phrase" "$folder/talk/sentence$n.wav"
done
unzip -qo "$folder"/unpacked/openarena-data/usr/share/games/openarena/baseoa/pak0.pk3 'sound/player/*' -d "$folder/unpacked/pak"
find "$folder/unpacked/pak" \( -iname 'death*' -o -iname 'fall*' -o -iname 'pain*' -o -iname 'taunt*' \) | while read -r cry; do
  name=$(realpath --relative-to "$folder/unpacked/pak/sound/player" "$cry" | tr / -)
  into_wav "$cry" "$folder/cries/oa-${name%.*}.wav" || true
done
