package page

import (
	"mobanta/core/mesh"
	"mobanta/core/node"
)

// Command is something that a key does on the desk. The page finds the key of a command
// here, unless the artist has given it another.
type Command struct {
	ID   string `json:"id"`
	Key  string `json:"key"` // as it is shown: "T", "Shift D", "Ctrl C"
	Text string `json:"text"`
}

// Single tells whether a command's key is a letter, a digit or a sign without Ctrl: such
// keys can be switched off, for those who speak to their machine or whose hands shake.
func (c Command) Single() bool {
	key := c.Key
	if len(key) > 6 && key[:6] == "Shift " {
		key = key[6:]
	}
	return len([]rune(key)) == 1 || key == "Space"
}

// CommandGroup is the commands of one place.
type CommandGroup struct {
	Name string
	List []Command
}

var commandGroups = []CommandGroup{
	{"Picture", []Command{
		{"turn", "T", "turn the view"}, {"pan", "G", "pan the view"}, {"zoom", "Z", "zoom"}, {"light", "L", "move the light; again for another way to move it"},
		{"edge", "J", "drag a band edge"}, {"ask", "Q", "ask a pixel why it has its colour"}, {"take", "C", "pick a colour"}, {"frame", "F", "frame the stage"},
		{"ungraded", "Shift G", "the picture before its grade, again to return"}, {"magnify", "'", "magnify the picture about the pointer: 1:1, 4:1, off"},
		{"picture", "V", "go to the picture"}, {"checks", "H", "checks: what may be a mistake"}, {"save", "Ctrl S", "deliver: pictures and files to order"},
	}},
	{"Time", []Command{
		{"play", "Space", "play, again to pause"}, {"stop", "Shift Space", "stop, and back to the first mark"}, {"frame-back", ",", "one frame back"}, {"frame-on", ".", "one frame on"},
		{"frame-first", "Home", "go to the first mark"}, {"frame-last", "End", "go to the last mark"}, {"mark-first", "(", "put the first mark here"}, {"mark-last", ")", "put the last mark here"},
		{"loop", "Shift L", "round and round, or once"},
	}},
	{"Panels", []Command{
		{"network", "1", "network"}, {"list", "2", "list"}, {"front", "3", "front"}, {"colours", "4", "colours"}, {"stage", "5", "stage"}, {"stagings", "6", "stagings"}, {"keep-staging", "Shift T", "keep the state of the project as a staging"},
		{"only-front", "0", "the front alone beside the picture"}, {"bench", "B", "go to the bench"}, {"cards", "N", "go to the network"},
		{"before", "[", "look before"}, {"after", "]", "look after"}, {"undo", "Ctrl Z", "undo"}, {"redo", "Ctrl Shift Z", "redo"},
	}},
	{"Network", []Command{
		{"add", "/", "add a node"}, {"find", "Ctrl F", "find a node; Enter chooses it"}, {"fit", "A", "fit the network into its panel"}, {"larger", "+", "larger"}, {"smaller", "-", "smaller"},
		{"none", "Escape", "choose nothing more"}, {"menu", "M", "menu of all that can be done with the chosen nodes"},
	}},
	{"Chosen nodes", []Command{
		{"choose", "Enter", "settings on the bench"}, {"pick", "X", "choose one more, as Shift and a press do"}, {"peek", "P", "peek: show the node's own result, again to return"},
		{"rename", "F2", "rename"}, {"note", "K", "write a note"}, {"wire", "W", "choose what feeds it"}, {"swap", "S", "swap its two inputs"}, {"replace", "R", "replace it by another kind"},
		{"off", "O", "bypass it, or take it in again"}, {"duplicate", "D", "duplicate with its wires"}, {"duplicate-bare", "Shift D", "duplicate without wires"},
		{"copy", "Ctrl C", "copy as text, for any project"}, {"paste", "Ctrl V", "paste"}, {"gather", "E", "gather into a section"}, {"unite", "U", "make one node of them, a group"},
		{"dissolve", "Shift U", "dissolve the group"}, {"single", "Y", "give this use of a group a copy of its own"}, {"into", "I", "into a group; fold or open a section"}, {"out", "Shift I", "back out of the group"},
		{"remove", "Delete", "remove and heal the wires"},
	}},
}

// commands returns all commands.
func commands() (out []Command) {
	for _, g := range commandGroups {
		out = append(out, g.List...)
	}
	return out
}

// fixedKeys are keys that belong to what has the focus, and stay.
var fixedKeys = []Command{
	{"", "arrows on the picture", "use the tool, Shift for larger steps; with edge, ask and pick they move a mark, and Enter presses there"},
	{"", "arrows in the network", "go from card to card"},
	{"", "arrows on a band edge", "move it by 0.01, Shift by 0.05; Insert adds a band, Delete removes it"},
	{"", "Alt and arrows on a row", "move it up or down"},
	{"", "arrows on the strip of time", "go by frames, Shift by ten"},
	{"", "arrows on a point of a curve", "move it; Insert adds a point, Delete takes it away"},
	{"", "Escape while dragging", "let go: nothing has changed"},
}

// Settings is what the page of settings shows.
type Settings struct{ Groups []CommandGroup }

// SettingsPage returns what the page of settings shows.
func SettingsPage() Settings { return Settings{commandGroups} }

// Help is what the help page shows.
type Help struct {
	Title  string
	Kinds  []*node.Kind
	Solids []mesh.Solid
	Keys   []CommandGroup
	Fixed  []Command
}

// HelpPage returns what the help page shows.
func HelpPage() Help { return Help{"Help", cat.All(), mesh.Solids, commandGroups, fixedKeys} }
