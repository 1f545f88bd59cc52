package network

// Part tells whether a setting of the type has a part of the bench to itself, rather than
// a field: ramps and lists.
func (t SettingType) Part() bool {
	switch t {
	case Stops, Stack, Named, Expr, Arguments, Rows:
		return true
	}
	return false
}

// Listed returns the keys of the inputs and settings of a node that are shown in the rows
// of one of its lists: the inputs of each layer, choice and argument, and which choice is
// live.
func (d *Node) Listed(s *Spec) map[string]bool {
	out := map[string]bool{}
	for i := range s.Settings {
		switch list := d.Value(&s.Settings[i]).(type) {
		case []Layer:
			for _, l := range list {
				out[l.Key], out[l.Key+"-mask"], out[l.Key+"-amount"] = true, true, true
			}
		case []Option:
			for _, o := range list {
				out[o.Key] = true
			}
			for k := range s.Settings {
				if c := &s.Settings[k]; c.Type == Choice && c.Live {
					out[c.Key] = true
				}
			}
		case []Argument:
			for _, a := range list {
				out[a.Key] = true
			}
		}
	}
	return out
}
