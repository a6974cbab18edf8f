# Sourced by the benchmarks that need voices: unpacks and makes some in $voices, removed at the end. Packages: alsa-utils
# asterisk-core-sounds-en-g722 espeak-ng flite ffmpeg sox.
voices=$(mktemp -d)
trap 'rm -rf "$voices"' EXIT
talk="The quick rain on the roof is loud tonight, so speak up a little. Every reed wants patience, and a sharp knife."
phrases=/usr/share/asterisk/sounds/en_US_f_Allison
# 48 kHz, mono, about -26 dBFS while speaking, pauses of a second between the pieces.
join() {
  local out=$1 pieces=() p n=0
  shift
  for p in "$@"; do
    ffmpeg -loglevel error -y -i "$p" -ar 48000 -ac 1 -af "apad=pad_dur=1" "$voices/piece$n.flac"
    pieces+=("$voices/piece$n.flac")
    n=$((n + 1))
  done
  sox "${pieces[@]}" "$voices/$out.wav" gain -n -9 pad 1 0
  rm -f "${pieces[@]}"
}
espeak-ng -v en-gb -s 150 -w "$voices/a.flac.wav" "$talk"
flite -voice slt -t "$talk" -o "$voices/b.flac.wav"
flite -voice rms -t "$talk" -o "$voices/c.flac.wav"
join words /usr/share/sounds/alsa/{Front_Center,Front_Left,Rear_Right,Side_Left,Rear_Center,Front_Right}.wav
join phrases "$phrases"/{demo-thanks,vm-advopts,vm-goodbye,conf-getpin,privacy-prompt}.g722
join made1 "$voices/a.flac.wav"
join made2 "$voices/b.flac.wav"
join made3 "$voices/c.flac.wav"
rm -f "$voices"/*.flac.wav
