package page

import (
	"sync"

	"mobanta/core/find"
)

// Place is where something is that is no node: a panel of the desk, what stands there, or a page.
type Place struct {
	Name  string
	Says  string
	Words []string // what else it is called
	// To is a panel and what of it is gone to, "stage #stage-press"; a command, "command: checks"; or a page of the project,
	// "page: deliver", or of the studio, "page: /settings".
	To string
}

var places = []Place{
	{"Paper and inks", "The press prints the whole picture: paper, inks, screens, how plates lie.", []string{"press", "paper", "print", "printing press", "ink", "cmyk", "process colours", "riso", "plates", "screen print", "newsprint", "misregistration", "registration", "overprint", "spot colour", "dot gain"}, "stage #stage-press"},
	{"Glow", "Light that spreads from what is bright, over the whole picture.", []string{"glow", "bloom", "halo", "shine around", "light leak", "neon"}, "stage [aria-label=Glow]"},
	{"Grade", "Contrast, saturation, curves, toning and a palette for the whole picture.", []string{"grade", "colour grading", "colour correction", "contrast", "saturation", "brightness", "exposure", "curves", "levels", "tint of the picture", "lut", "tone the picture", "sepia", "black and white"}, "stage [aria-label=Grade]"},
	{"Backdrop", "What lies behind the models: a colour, a course of two, a picture, a floor; or nothing.", []string{"backdrop", "background", "background colour", "background picture", "backplate", "transparent background", "floor", "ground", "ground shadow", "shadow on the floor", "alpha"}, "stage [aria-label=Backdrop]"},
	{"View", "Bytes as picked, or light rolled off for the eye.", []string{"view transform", "tone mapping", "highlights rolled off", "tonemap", "display"}, "stage [aria-label=View]"},
	{"Models", "Bring in a model, add a solid, place it, say which part wears which look.", []string{"model", "import", "bring in a model", "open a file", "load mesh", "obj", "gltf", "glb", "stl", "ply", "primitive", "solid", "sphere", "cube", "torus", "part", "assign a look", "scale the model", "place", "rotate the model", "subdivide", "smooth the mesh", "draw it smooth", "round off", "low poly", "mend the mesh", "repair the model", "flip the normals", "turned faces", "inside out", "holes", "cracks", "doubled faces", "uv", "unwrap", "texture coordinates", "clip", "animation of the model", "blobs", "metaballs", "flame"}, "stage #stage-models"},
	{"Lights", "Add a light; its kind, strength, colour, place and shadows.", []string{"light", "add a light", "lamp", "sun", "point light", "area light", "rectangle light", "sky", "environment", "hdri", "headlamp", "strength of the light", "shadows of a light", "light colour"}, "stage #stage-lights"},
	{"Camera", "Where the eye is, its angle, with perspective or without.", []string{"camera", "view angle", "field of view", "fov", "focal length", "lens", "perspective", "orthographic", "zoom", "frame the stage"}, "stage #stage-camera"},
	{"Time and moves", "What moves over the loop: a turntable, a day of light, any value.", []string{"time", "move", "moves", "animate", "animation", "turntable", "spin", "rotate around", "day of light", "keyframe", "loop", "frame rate", "fps", "on twos", "timeline", "motion"}, "stage #moves"},
	{"The front", "The dials of the looks: values that are at hand.", []string{"front", "dials", "sliders", "controls", "parameters", "exposed values"}, "front"},
	{"Swatches", "Colours of the project that looks follow; palettes in and out.", []string{"swatch", "swatches", "palette", "palettes", "colour set", "theme colours"}, "colours"},
	{"Stagings", "States of lights, camera, dials and looks, kept under a name.", []string{"staging", "stagings", "snapshot", "variation", "version", "keep a state", "preset of the stage", "bookmark"}, "stagings"},
	{"Compare", "Two stagings or looks wiped, side by side, blinking, or as a difference.", []string{"compare", "before and after", "wipe", "side by side", "difference", "a b"}, "page: compare"},
	{"Proof sheet", "Every combination of two or three things as a grid of pictures.", []string{"proof sheet", "contact sheet", "wedge", "grid of pictures", "variations", "sheet"}, "page: sheet"},
	{"Deliver", "Order pictures, layers, vectors, plates, moving pictures, textures, models and code.", []string{"deliver", "export", "save picture", "save", "render", "output", "png", "svg", "vector", "layers", "openraster", "passes", "gif", "apng", "webp", "video", "mp4", "movie", "frames", "image sequence", "bake", "bake a texture", "painted model", "glb", "html", "shader code", "glsl", "materialx", "pdf", "poster", "resolution", "dpi", "bundle", "download"}, "page: deliver"},
	{"Checks", "What may be a mistake in the picture, the network or the stage.", []string{"checks", "problems", "warnings", "errors", "what is wrong", "lint", "mistakes"}, "command: checks"},
	{"Ask a pixel", "Press on the picture: which nodes made this colour, and how.", []string{"ask", "why this colour", "inspect", "probe", "debug a pixel", "explain", "trail", "eyedropper info"}, "command: ask"},
	{"Starting points", "Twenty-four looks to start from, shown on this model.", []string{"starting points", "presets", "templates", "examples", "looks to start from", "library of looks", "styles"}, "command: starts"},
	{"Keys", "What each key does; any can be changed.", []string{"keys", "shortcuts", "keyboard", "hotkeys", "settings", "preferences", "options"}, "page: /settings"},
	{"Help", "How things go, and a page for each kind of node.", []string{"help", "manual", "documentation", "how to", "tutorial", "guide"}, "page: /help"},
	{"Projects", "The shelf with all projects.", []string{"projects", "shelf", "open another project", "new project", "home", "files"}, "page: /"},
	{"Undo", "Takes the last change back; Ctrl Z.", []string{"undo", "go back", "history", "revert", "take back", "redo"}, "command: undo"},
}

var placeIndex = sync.OnceValue(func() *find.Index {
	var list []find.Thing
	for _, p := range places {
		list = append(list, find.Thing{Name: p.Name, Words: p.Words, Says: p.Says})
	}
	return find.New(list)
})
