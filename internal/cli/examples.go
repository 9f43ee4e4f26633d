package cli

import (
	"strings"

	"github.com/spf13/cobra"
)

// examples are what each command's help shows, by the command's name.
var examples = map[string]string{
	"status":        "bastel status\nbastel status --json",
	"doctor":        "bastel doctor\nbastel doctor --json > report.json",
	"hunks":         "bastel hunks\nbastel hunks --staged --json\nbastel hunks --of HEAD~2",
	"trays":         "bastel trays\nbastel trays --json",
	"stage":         "bastel stage docs/guide.md\nbastel stage 1f3a5c7e9b20 --lines 3,5-7\nbastel stage --tray B 1f3a5c7e9b20",
	"unstage":       "bastel unstage docs/guide.md\nbastel unstage --tray B 1f3a5c7e9b20",
	"discard":       "bastel discard debug.go\nbastel discard 1f3a5c7e9b20:2",
	"message":       "bastel message -m 'Read the berth table'\nbastel message --tray B -m 'Subject' -m 'Why it is done.'",
	"commit":        "bastel commit -m 'Read the berth table'\nbastel commit --all",
	"amend":         "bastel amend\nbastel amend -m 'Another message' --without-staged",
	"loosen":        "bastel loosen HEAD~1\nbastel loosen HEAD~3 --trays",
	"home":          "bastel home --dry-run\nbastel home\nbastel home 1f3a5c7e9b20 --into HEAD~2",
	"sweep":         "bastel sweep --dry-run\nbastel sweep --branch",
	"check":         "bastel check --tray B\nbastel check plan.toml",
	"plan":          "bastel plan > plan.toml\nbastel plan --onto origin/main > plan.toml\nbastel plan --branch feature/lights --json",
	"revert":        "bastel revert 4f2c1aa -m 'It slowed the start down.'\nbastel revert 4f2c1aa 8c1f0e2 --together",
	"forecast":      "bastel forecast plan.toml\nbastel plan --onto origin/main | bastel forecast -",
	"mend":          "bastel mend plan.toml\nbastel mend --resolved docs/guide.md\nbastel mend --finish",
	"answers":       "bastel answers\nbastel answers --forget-all",
	"apply":         "bastel apply plan.toml\nbastel plan --onto origin/main | bastel apply -",
	"stack":         "bastel stack\nbastel stack --keep feature/old",
	"allow":         "bastel allow\nbastel allow --revoke",
	"overlap":       "bastel overlap\nbastel overlap --json",
	"suggest":       "bastel suggest\nbastel suggest --onto origin/main",
	"draw":          "bastel draw plan.toml -o plan.svg\nbastel draw --branches --since 12 -o landed.pdf",
	"fetch":         "bastel fetch\nbastel fetch --forward",
	"read":          "bastel read\nbastel read HEAD~2 HEAD~1",
	"remark":        "bastel remark HEAD~1 docs/guide.md:12 -m 'Say which table.'",
	"remarks":       "bastel remarks\nbastel remarks --done 2",
	"comments":      "bastel comments",
	"preflight":     "bastel preflight\nbastel preflight --json",
	"send":          "bastel send --dry-run\nbastel send\nbastel send --stack",
	"target":        "bastel target\nbastel target origin/release",
	"compare":       "bastel compare origin/feature feature\nbastel compare main topic --files\nbastel compare HEAD @loose --files",
	"branches":      "bastel branches\nbastel branches --all --json",
	"story":         "bastel story berth/plan.go\nbastel story berth/plan.go --line 12",
	"lost":          "bastel lost\nbastel lost --restore 12",
	"branch":        "bastel branch new feature/lights origin/main\nbastel branch delete --merged",
	"branch new":    "bastel branch new feature/lights\nbastel branch new feature/lights origin/feature/lights",
	"branch rename": "bastel branch rename lights lamps --remote",
	"branch delete": "bastel branch delete old older\nbastel branch delete --merged",
	"tag":           "bastel tag v1.2\nbastel tag v1.1 HEAD~3",
	"switch":        "bastel switch feature/lights\nbastel switch feature/new --new --from origin/main\nbastel switch main --aside",
	"move":          "bastel move topic HEAD~2\nbastel move topic @upstream --yes",
	"patches":       "bastel patches -o series.mbox\nbastel patches --diff",
	"request":       "bastel request\nbastel request -o request.md",
	"land":          "bastel land\nbastel land ropes lights --delete",
	"journal":       "bastel journal\nbastel journal --json",
	"undo":          "bastel undo\nbastel undo --carry",
	"redo":          "bastel redo",
	"rescue":        "bastel rescue\nbastel rescue 12 -o rescued",
	"demo":          "bastel demo\nbastel demo --dir quay --no-open",
}

// exemplify gives commands their examples, those that have none of their own.
func exemplify(cmd *cobra.Command, path string) {
	if text, ok := examples[path]; ok && cmd.Example == "" {
		cmd.Example = "  " + strings.ReplaceAll(text, "\n", "\n  ")
	}
	for _, below := range cmd.Commands() {
		exemplify(below, strings.TrimSpace(path+" "+below.Name()))
	}
}
