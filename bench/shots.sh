#!/usr/bin/env bash
# Pictures of the command's output on the demo desk, in a terminal of about 1280x800, into
# docs/screenshots. ./dev shots runs this.
set -euo pipefail
out=$PWD/docs/screenshots
lurk=$PWD/build/lurk
root=$PWD
work=${TMPDIR:-/tmp}/lurk-shots # one name, since pictures show it
rm -rf "$work"
trap 'kill $server 2>/dev/null; rm -rf "$work"' EXIT
mkdir -p "$out"
mkdir "$work" "$work/bin"
ln -s "$lurk" "$work/bin/lurk"
export PATH=$work/bin:$PATH LURK_DESK=hide DISPLAY=:97
cd "$work"
Xvfb :97 -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
for _ in $(seq 50); do xdpyinfo >/dev/null 2>&1 && break; sleep 0.1; done

{
	lurk keyboards
	lurk keyboards --keyboard heron --broken End
	lurk keyboards --keyboard heron --press-only F13
	lurk map hid:07:a5 LaunchMail --keyboard curlew --note 'the feather key: mail the sightings'
	lurk move End Pause --keyboard heron --note 'stuck since the rain'
	lurk map NumLock Tab --note 'the next field of the log'
	lurk apply
	lurk swap Control Alt --keyboard dipper
	lurk map AudioVolumeMute MediaRecord --keyboard curlew --note 'a bird calls'
} >/dev/null 2>&1
cat >presses <<'END'
press NumLock on wagtail
press NumpadEnter on wagtail
press Feather on curlew
press KnobClick on curlew
wait 21s
press Perch on heron
press Tern on wagtail
END
cat >evening.desk <<'END'
hold NumLock on wagtail
press Tab on wagtail
release NumLock
press Pause on heron
press Feather on curlew
press AltLeft on dipper
unplug wagtail
plug wagtail in usb-7
press NumLock on wagtail
END

cat >cleaning.yaml <<'END'
lurk: 1
rules:
  - {press: any Enter, gives: nothing}
  - {press: NumLock, gives: nothing}
  - {press: End, gives: nothing}
  - {press: Pause, gives: End}
  - {swap: [ControlLeft, AltLeft], keyboard: dipper}
  - {press: F20, gives: F21, keyboard: wagtail}
END

# shot NAME COMMANDS: what they print, with the prompt and the command before it.
shot() {
	local name=$1
	shift
	{
		echo 'clear'
		for command in "$@"; do
			printf "printf '\\\\033[32m\$\\\\033[0m %%s\\\\n' %q\n" "$command"
			echo "$command"
		done
		echo "printf '\\033[32m\$\\033[0m '; touch $work/done; sleep 9"
	} >"$work/script"
	rm -f "$work/done"
	xterm -u8 -fa 'DejaVu Sans Mono' -fs 10 -geometry 158x46+0+0 -bg '#fdfcf8' -fg '#222222' -b 10 \
		-e bash "$work/script" 2>/dev/null &
	local term=$!
	for _ in $(seq 80); do [ -e "$work/done" ] && break; sleep 0.1; done
	sleep 0.4
	import -window root "$work/shot.png"
	kill $term 2>/dev/null || true
	wait $term 2>/dev/null || true
	convert "$work/shot.png" -colors 64 -define png:exclude-chunks=date,time -define png:compression-level=9 "$out/$name.png"
	echo "docs/screenshots/$name.png"
}

printf 'press Tern on wagtail\npress Gull\n' >two
echo 'press Fn on wagtail' >fn
echo 'wait 61s' >minute
shot identify 'lurk identify --play presses' 'lurk identify --compare --play two' 'lurk identify --missing --play fn' \
	'lurk identify --hands-off --play minute' 'lurk identify --play presses --json | head -n 2'
shot resolve 'lurk resolve NumLock "kp enter" hid:07:a5 Meta' 'lurk resolve 58' 'lurk resolve --list brightness' 'lurk resolve search'
shot show 'lurk show' 'lurk apply' 'lurk status'
shot check 'cat cleaning.yaml' 'lurk check cleaning.yaml' 'lurk reach Control+Alt+Delete --profile cleaning.yaml'
shot play 'lurk play evening.desk'
{
	cp hide/profile.yaml kept.yaml
	lurk map Shift+6 --text '°' --keyboard wagtail
	lurk map F9 --text 'seen 3 teal' --keyboard wagtail
	lurk map Insert Control+Shift+L --keyboard wagtail
	lurk profile new night --based-on base
	lurk map F6 --text 'barn owl' --profile night
	lurk map F12 --use previous --profile night
	lurk map F12 --use night
	lurk apply
} >/dev/null 2>&1
cat >words.desk <<'END'
hold ShiftLeft on wagtail
press Digit6
release ShiftLeft
press F9
press Insert
press F12
press F6
END
shot words 'lurk status --rules' 'lurk profile list' 'lurk play words.desk'
rm -r hide/profiles
cp kept.yaml hide/profile.yaml
lurk apply >/dev/null
shot demo 'lurk demo | head -n 42'

# Keyboards in pictures: each form, light and dark, with several layouts.
keep() { # NAME FILES...: one under the other, at most 1400 wide
	local name=$1
	shift
	convert "$@" -append -resize '1400>' -colors 128 -define png:exclude-chunks=date,time -define png:compression-level=9 "$out/$name.png"
	echo "docs/screenshots/$name.png"
}
{
	lurk map Shift+6 --text '°'
	lurk map Insert Control+Shift+L
	lurk map F9 --text 'seen 3 teal'
	lurk apply
	lurk picture --keyboard heron -o heron.png
	lurk picture --keyboard wagtail --dark --with Shift --layout de -o dark.png
	lurk picture --keyboard wagtail --form no-keypad --layout us -o us.png
	lurk picture --keyboard curlew --dark -o pad.png
	lurk picture --keyboard wagtail --form no-keypad --layout fr -o fr.png
	lurk picture --keyboard heron --dark --layout jp -o jp.png
	lurk picture --keyboard heron --layout ru -o ru.png
	lurk picture --keyboard wagtail --form no-keypad --dark --layout ar -o ar.png
	lurk layout begin dune --from gb --words 'The dunes'
	lurk layout type dune AltRight+M ♂
	lurk layout type dune AltRight+Shift+M ♀
	lurk layout type dune '¬' '…'
	lurk layout type dune AltRight+J ArrowLeft
	lurk layout copy dune KeyX Digit4
	lurk picture --keyboard dipper --form no-keypad --layout dune -o own.png
	rm -r hide/layouts
	lurk picture --keyboard heron --before-after -o before.png
	lurk picture --keyboard wagtail --codes scan -o codes.png
	lurk picture --keyboard wagtail --labels -o labels.pdf
	lurk picture --keyboard wagtail --card -o card.pdf
	pdftoppm -r 90 -png labels.pdf labels
	pdftoppm -r 90 -png card.pdf card
	convert labels-1.png -crop '100%x25%+0+0' +repage label-part.png
	convert us.png \( pad.png -resize x778 \) +append forms.png
} >/dev/null 2>&1
keep picture heron.png
keep picture-dark dark.png
keep forms forms.png
convert own.png fr.png jp.png ru.png ar.png -append -resize '1000>' layouts-all.png
keep layouts layouts-all.png
keep before-after before.png
keep codes codes.png
keep paper card-1.png label-part.png
shot own-layout "lurk layout begin reedbed --from gb --words 'Reed bed'" 'lurk layout type reedbed AltRight+M ♂' \
	'lurk layout show reedbed' 'lurk picture --keyboard wagtail --layout reedbed --with AltRight'
rm -r hide/layouts
{
	cp kept.yaml hide/profile.yaml
	lurk apply
} >/dev/null 2>&1

# As on the running machine: the same desk behind the service's socket.
mkdir -p machine/lurk
cp hide/*.yaml machine/lurk/
cp machine/lurk/desk.yaml machine/
mkfifo input
"$root/build/tests/desk_service" machine "$work/control" root <input >service.log 2>&1 &
service=$!
exec 7>input
for _ in $(seq 50); do [ -S control ] && break; sleep 0.1; done
unset LURK_DESK
export LURK_SOCKET=$work/control XDG_CONFIG_HOME=$work/machine XDG_STATE_HOME=$work/machine/state
lurk apply >/dev/null
# live NAME KEEP-S COMMAND LINES...: a view that stays, while the lines are played on the desk.
live() {
	local name=$1 seconds=$2 command=$3
	shift 3
	printf "clear; printf '\\033[32m\$\\033[0m %%s\\n' %q; %s\n" "$command" "$command" >"$work/script"
	xterm -u8 -fa 'DejaVu Sans Mono' -fs 10 -geometry 158x46+0+0 -bg '#fdfcf8' -fg '#222222' -b 10 \
		-e bash "$work/script" 2>/dev/null &
	local term=$!
	sleep 1.5
	for line in "$@"; do
		echo "$line" >&7
		sleep 0.3
	done
	sleep "$seconds"
	import -window root "$work/shot.png"
	kill $term 2>/dev/null || true
	wait $term 2>/dev/null || true
	convert "$work/shot.png" -colors 64 -define png:exclude-chunks=date,time -define png:compression-level=9 "$out/$name.png"
	echo "docs/screenshots/$name.png"
}

live live 0.5 'lurk identify' 'press NumLock on wagtail' 'press NumpadEnter on wagtail' 'press Feather on curlew' \
	'press KnobClick on curlew' 'press Tern on wagtail' 'press AltLeft on dipper' 'hold NumLock on wagtail'
echo 'release NumLock on wagtail' >&7
live picture-live 0.5 'lurk identify --picture' 'hold NumLock on wagtail'
echo 'release NumLock on wagtail' >&7
cp "$work/hide/profile.yaml" profile.yaml
cp "$work/hide/keyboards.yaml" keyboards.yaml
live try 5 'lurk try --for 12s --profile profile.yaml' 'press NumLock on wagtail' 'press AltLeft on dipper' 'press Feather on curlew'
shot service 'lurk keyboards' 'lurk status' 'lurk off' 'lurk on' 'lurk map ScrollLock F20 --apply' 'lurk undo'
exec 7>&-
wait $service || true
