#!/usr/bin/env bash
# Makes the pictures of the README from the demo data: the real application in a
# real terminal window on a virtual display.
set -eu
cd "$(dirname "$0")/../.."
for tool in tmux Xvfb xterm import curl; do
	command -v "$tool" >/dev/null || { echo "pictures need tmux, xvfb, xterm, imagemagick, curl and the font JetBrains Mono: $tool is missing" >&2; exit 1; }
done
scratch=$(mktemp -d)
display=:$((200 + $$ % 300))
Xvfb "$display" -screen 0 1278x882x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server 2>/dev/null || true; rm -rf "$scratch"' EXIT
go build -o "$scratch/bastel" ./cmd/bastel
printf 'set -g status off\nset -g default-terminal tmux-256color\nset -as terminal-features ",xterm*:RGB"\nset -g escape-time 0\n' >"$scratch/tmux.conf"
printf '[user]\n\tname = Ines Falk\n\temail = ines@lanternquay.example\n' >"$scratch/gitconfig"
export GIT_CONFIG_GLOBAL=$scratch/gitconfig XDG_STATE_HOME=$scratch/state
mkdir -p "$scratch/state/bastel" && touch "$scratch/state/bastel/started" # not for the first time
sleep 1

# shot NAME COLUMNS ROWS KEYS...: a picture of a fresh demo after some keys. A key
# "wait:TEXT" waits until the screen shows the text, "text:..." types, "call:..." runs a
# function beside the application. The function in $before prepares the demo, and with
# $desk its review desk is open.
shot() {
	local name=$1 columns=$2 rows=$3 key
	shift 3
	rm -rf "$scratch/demo"
	"$scratch/bastel" demo --no-open --dir "$scratch/demo" >/dev/null
	${before:-true}
	local service=
	if [ -n "${desk:-}" ]; then
		"$scratch/bastel" demo --desk --dir "$scratch/demo" >/dev/null &
		service=$!
		until [ -e "$scratch/demo/shared.git/review-address" ]; do sleep 0.05; done
	fi
	tmux -L "$name$$" -f "$scratch/tmux.conf" new-session -d -s s -x "$columns" -y "$rows" -c "$scratch/demo/work" \
		"TERM=xterm-256color COLORTERM=truecolor COLORFGBG='15;0' exec $scratch/bastel"
	DISPLAY=$display xterm -tn xterm-256color -fa 'JetBrains Mono' -fs 11 -geometry "${columns}x$rows+0+0" -b 0 -bw 0 \
		-bg '#111418' -fg '#d0d0d0' +sb -e "tmux -L $name$$ attach -t s" >/dev/null 2>&1 &
	local terminal=$!
	for key in "wait:Now" "$@"; do
		case $key in
		wait:*) await "$name$$" "${key#wait:}" ;;
		call:*) "${key#call:}" ;;
		text:*) tmux -L "$name$$" send-keys -t s -l -- "${key#text:}" ;;
		*) tmux -L "$name$$" send-keys -t s -- "$key" ;;
		esac
	done
	sleep 0.7 # for the window to draw what the terminal already has
	DISPLAY=$display import -window root -crop "$((columns * 9))x$((rows * 21))+0+0" +repage "docs/screenshots/$name.png"
	tmux -L "$name$$" kill-server
	[ -z "$service" ] || kill -INT $service
	wait $terminal 2>/dev/null || true
	echo "docs/screenshots/$name.png"
}

await() {
	local tries=0
	until tmux -L "$1" capture-pane -p -t s | grep -qF -- "$2"; do
		tries=$((tries + 1))
		[ $tries -lt 200 ] || { echo "never on the screen: $2" >&2; tmux -L "$1" capture-pane -p -t s >&2; exit 1; }
		sleep 0.05
	done
}

shot map 142 42 "wait:3 hunks" "[" "wait:guide: the table"
shot map-planned 142 42 "wait:3 hunks" "[" "wait:guide: the table" / "wait:Find on the chart" text:less-ink Enter x "wait:delete less-ink" \
	/ "wait:Find on the chart" text:ropes Enter t "wait:move to" 1 "wait:move ropes" / "wait:Find on the chart" text:lights-colours Enter o "wait:3 steps planned"
shot sort 142 42 "wait:3 hunks" n 1 "wait:1 hunk in 1 file" 1 "wait:2 hunks in 1 file" \
	m "wait:Message of tray A" "text:Give ships a berth that is deep enough" C-s "wait:deep enough" \
	n n 2 "wait:a makes 2 commits" m "wait:Message of tray B" "text:Ring the lock keeper" C-s "wait:B  Ring the lock" \
	3 "wait:a makes 3 commits" m "wait:Message of tray C" "text:Name the board" C-s "wait:C  Name the board"
shot message 142 42 "wait:3 hunks" Enter "wait:1 hunk in 1 file" Enter "wait:2 hunks in 1 file" m \
	"wait:what tray A" "text:Give ships a berth that is deep enough" Enter Enter "text:Nordlicht touched ground at the Fish Steps on Sunday." "wait:Fish Steps on Sunday."
shot home 142 42 "wait:3 hunks" H "wait:joined by 1 hunk"
shot sweep 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" L "wait:Remove 3 lines"
shot shape-after 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" j j x "wait:left out: 3" j K "wait:C   more tide" s \
	"wait:from 2 5" j K K "wait:A   mooring depth" j j j j J "wait:9 commits, the content changes" k k k
shot shape-split 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" j j j d "wait:its parts, in order" 1 "wait:1 hunk in 1 file"
shot overlaps 142 42 "wait:3 hunks" "]" "wait:2 files +32" O "wait:files by commits" l l l
shot shape-conflicts 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" ")" "wait:go onto" text:origin/main Enter "wait:4 conflicts" j j j
mending=("wait:3 hunks" "]" "wait:nothing planned yet" ")" "wait:go onto" text:origin/main Enter "wait:4 conflicts" "!" "wait:entry 4 of 11")
shot mend 142 42 "${mending[@]}" j j j Space "wait:┃"
shot mend-list 142 42 "${mending[@]}" e "wait:At the cursor" 2 "wait:by you"
shot send 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" j j x "wait:left out: 3" j K "wait:C   more tide" s "wait:from 2 5" \
	a "wait:commits became" "]" "]" "wait:of yours replaced" h j
shot columns 142 42 "wait:3 hunks" "[" "wait:guide: the table" c "wait:two columns" / "wait:Find on the chart" "text:depth at fish" Enter "wait:depth at fish" Enter \
	"wait:back to the chart" j
shot story 142 42 "wait:3 hunks" "[" "wait:guide: the table" / "wait:Find on the chart" text:handbook Enter "wait:handbook" Enter "wait:renamed from" I \
	"wait:3 commits" j "wait:what 62d51d6"
# "wait:3 hunks" "]" "wait:nothing planned yet" "]" "wait:No conflict" "]" "wait:to send" "!" "wait:findings before sending"
after() { (cd "$scratch/demo/colleague" && git fetch -q && git switch -q feature/berth-board && mkdir -p tide && echo "In minutes after the gauge." >tide/README.md &&
	git add tide && GIT_AUTHOR_DATE="1778000000 +0200" GIT_COMMITTER_DATE="1778000000 +0200" git commit -q -m "Say which way the tide runs" && git push -q); }
shot send-colleague 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" j j x "wait:left out: 3" a "wait:commits became" "]" "]" "wait:of yours replaced" \
	call:after F "wait:Fetched from" "wait:not yours" h G
comment() { (cd "$scratch/demo/work" && desk=$(git config bastel.review) && commit=$(git log --format=%H --grep '^mooring depth$') &&
	curl -s -o /dev/null -d "commit=$commit" -d path=berth/depth.go -d "sign=%2B" -d line=14 -d "by=Oskar Brandt" --data-urlencode "text=Is this still needed? It prints on every call." "$desk/comment/feature/berth-board" &&
	curl -s -o /dev/null -d "by=Mira Lund" -d approved=yes "$desk/verdict/feature/berth-board"); }
desk=open shot read 142 42 "wait:3 hunks" "]" "wait:nothing planned yet" "]" "wait:No conflict" "]" "wait:to send" a "wait:The server said" Escape "wait:The remote has all" call:comment \
	v "wait:0 of 11" v v v v "wait:3 of 11" "\\;" "wait:comments of reviewers" 1 "wait:1 new comment" "\\;" "wait:List all remarks" 1 "wait:Remarks on" Enter "wait:Is this still needed"
prepare() { (cd "$scratch/demo/work" && git stash -q -u && git switch -q -c summer origin/main --no-track && mkdir -p docs && echo "Nine." >docs/hours.md && git add docs && git commit -q -m "Close at nine in summer"); }
before=prepare shot land 142 42 "]" "wait:Close at nine" "]" "wait:No conflict" "]" "wait:A new branch there" V "wait:It moves forward" x "wait:deleted afterwards"
shot small 80 24 "wait:3 hunks" "]" "wait:nothing planned yet"
