package page

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"mobanta/core/delivery"
	"mobanta/core/project"
	"mobanta/core/proof"
	"mobanta/jobs"
	"mobanta/store"
)

// SheetView is what the page of the proof sheet shows.
type SheetView struct {
	Title   string
	State   *store.State
	Project *project.Project
	Offers  []OfferGroup
	Axes    []AxisView
	Plan    *proof.Plan // nil while there is none
	Why     string      // why there is none
	Sheet   *proof.Sheet
	Job     *jobs.Job // the last sheet of the project, that shows Sheet
	Rows    []SheetRow
	Orders  Orders // of sheets as files
}

// OfferGroup is offers of one sort.
type OfferGroup struct {
	Name string
	List []proof.Offer
}

// AxisView is what of the sheet varies along one direction.
type AxisView struct {
	N      int // from 0
	Name   string
	Offer  *proof.Offer // nil for none chosen
	Values string       // as they are typed, with commas between
	Chosen map[string]bool
}

// SheetRow is a row of cells.
type SheetRow struct {
	Name  string
	Cells []SheetCell
}

// SheetCell is one cell.
type SheetCell struct {
	N    int
	Name string
}

var axisNames = [proof.MaxAxes]string{"across", "down", "in blocks"}

// ParseAxes reads what a sheet varies from an address: "OF=VALUE,VALUE".
func ParseAxes(list []string) *proof.Sheet {
	s := &proof.Sheet{}
	for _, a := range list {
		of, values, ok := strings.Cut(a, "=")
		if !ok || of == "" {
			continue
		}
		axis := proof.Axis{Of: of}
		for _, v := range strings.Split(values, ",") {
			if v = strings.TrimSpace(v); v != "" && !slices.Contains(axis.Values, v) {
				axis.Values = append(axis.Values, v)
			}
		}
		s.Axes = append(s.Axes, axis)
	}
	return s
}

// Sheet returns what the page of the proof sheet shows: that of an address, or else the last one of the project.
func (p *Pages) Sheet(st *store.State, axes []string, job string, list []jobs.Job) (*SheetView, error) {
	doc := st.Project
	out := &SheetView{Title: "Proof sheet: " + doc.Name, State: st, Project: doc, Sheet: ParseAxes(axes)}
	for _, o := range proof.Offers(doc) {
		if n := len(out.Offers); n == 0 || out.Offers[n-1].Name != o.Group {
			out.Offers = append(out.Offers, OfferGroup{Name: o.Group})
		}
		g := &out.Offers[len(out.Offers)-1]
		g.List = append(g.List, o)
	}
	var files []jobs.Job
	for i := range list {
		j := &list[i]
		if j.Order.As == delivery.SheetOnly && out.Job == nil && (job == "" || j.ID == job) && j.State != jobs.Cancelled && j.State != jobs.Failed {
			if len(out.Sheet.Axes) == 0 {
				out.Sheet = j.Order.Sheet
			}
			if same(out.Sheet, j.Order.Sheet) {
				out.Job = j
			}
		}
		if f, _ := j.Order.As.Form(); f.Kind == delivery.Proof && j.Order.As != delivery.SheetOnly {
			files = append(files, *j)
		}
	}
	out.Orders = p.Orders(st.ID, files)
	for n := range proof.MaxAxes {
		v := AxisView{N: n, Name: axisNames[n], Chosen: map[string]bool{}}
		if n < len(out.Sheet.Axes) {
			a := &out.Sheet.Axes[n]
			for _, g := range out.Offers {
				for k := range g.List {
					if g.List[k].Of == a.Of {
						v.Offer = &g.List[k]
					}
				}
			}
			v.Values = strings.Join(a.Values, ", ")
			for _, value := range a.Values {
				v.Chosen[value] = true
			}
		}
		out.Axes = append(out.Axes, v)
	}
	if len(out.Sheet.Axes) == 0 {
		return out, nil
	}
	plan, err := out.Sheet.Plan(doc)
	if err != nil {
		_, out.Why, _ = strings.Cut(err.Error(), ": ")
		return out, nil
	}
	out.Plan = plan
	for r := range plan.Rows() {
		row := SheetRow{Name: plan.Row(r)}
		for c := range plan.Columns() {
			n := r*plan.Columns() + c
			row.Cells = append(row.Cells, SheetCell{n, plan.Name(n)})
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

func same(a, b *proof.Sheet) bool {
	x, err1 := json.Marshal(a)
	y, err2 := json.Marshal(b)
	return err1 == nil && err2 == nil && string(x) == string(y)
}

// Says tells how large the sheet is.
func (v *SheetView) Says() string {
	if v.Plan == nil {
		return ""
	}
	return fmt.Sprintf("%s: %d by %d", counted(v.Plan.Cells(), "picture"), v.Plan.Columns(), v.Plan.Rows())
}

// Across and Down name what the columns and the rows vary.
func (v *SheetView) Across() string { a, _ := v.Plan.Head(); return a }

// Down names what the rows vary.
func (v *SheetView) Down() string { _, d := v.Plan.Head(); return d }

// Columns names the columns.
func (v *SheetView) Columns() (out []string) {
	for k := range v.Plan.Columns() {
		out = append(out, v.Plan.Column(k))
	}
	return out
}
