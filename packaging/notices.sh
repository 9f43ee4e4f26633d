#!/bin/sh
# Prints the licences of all that is built into the program, module by module; fails where one has none.
set -eu
cd "$(dirname "$0")/.."
echo "Bastel is made with these modules. Their licences follow, as they come with them."
for platform in linux darwin freebsd; do
	GOOS=$platform go list -deps -f '{{with .Module}}{{if .Version}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}' ./cmd/bastel
done | sort -u | while read -r path version dir; do
	found=
	for file in "$dir"/*; do
		case $(basename "$file" | tr '[:upper:]' '[:lower:]') in
		license* | licence* | copying* | notice*)
			printf '\n======== %s %s, %s\n\n' "$path" "$version" "$(basename "$file")"
			cat "$file"
			found=yes
			;;
		esac
	done
	test -n "$found" || { echo "no licence: $path" >&2 && exit 1; }
done
printf '\n======== Go %s, its library and runtime\n\n' "$(go env GOVERSION)"
cat "$(go env GOROOT)/LICENSE"
