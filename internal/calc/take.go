package calc

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"io"
	"math"
	"strconv"

	"unionknot/internal/core/take"
)

// columns of a file of tags, in order.
var columns = []string{"tag", "worker", "technique", "lot", "bundle", "mismatch", "store_days", "grafts", "took"}

type effect struct {
	Mode float64 `json:"mode"`
	SD   float64 `json:"sd"`
}

// Take fits the take model to a CSV of tags and writes what it says.
func Take(r io.Reader, w io.Writer) error {
	rs, err := readTags(io.LimitReader(r, most))
	if err != nil {
		return err
	}
	base := take.Base(rs, "whip-and-tongue")
	d := take.FromRecords(rs, base)
	f, err := take.Solve(d)
	if err != nil {
		return bad("%v", err)
	}
	out := map[string]any{"deviance_laplace": round(f.Deviance, 4)}
	fixed, se, sd := map[string]float64{}, map[string]*float64{}, map[string]float64{}
	for j, n := range d.Fixed {
		fixed[n] = round(f.Fixed[j], 5)
		if x := round(f.FixedSE[j], 5); !math.IsInf(x, 0) && !math.IsNaN(x) {
			se[n] = &x
		} else {
			se[n] = nil
		}
	}
	for k, factor := range d.Factors {
		sd[factor.Name] = round(f.SD[k], 5)
		levels := map[string]effect{}
		for l, n := range factor.Levels {
			levels[n] = effect{round(f.Effects[k][l].Mode, 5), round(f.Effects[k][l].SD, 5)}
		}
		out[factor.Name] = levels
	}
	untold := [][]string{}
	for _, b := range f.Separate {
		if b.LevelA == "" {
			untold = append(untold, []string{b.A, b.B})
		} else {
			untold = append(untold, []string{b.A + " " + b.LevelA, b.B + " " + b.LevelB})
		}
	}
	out["standard"] = standard(d, f, base)
	out["fixed"], out["fixed_se"], out["sd"], out["cannot_tell"] = fixed, se, sd, untold
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(out)
}

// standard is what the standardised takes are written as: points only.
func standard(d take.Data, f take.Fit, base string) map[string]any {
	s := f.Standard(d.TechniqueColumns())
	of := func(names []string, takes []take.Fair) map[string]float64 {
		out := map[string]float64{}
		for i, n := range names {
			out[n] = round(takes[i].Take, 5)
		}
		return out
	}
	out := map[string]any{
		"raw":       round(s.Raw, 5),
		"fitted":    round(s.Fitted, 5),
		"technique": of(append([]string{base}, d.Techniques()...), s.Technique),
	}
	for k, factor := range d.Factors {
		out[factor.Name] = of(factor.Levels, s.Factors[k])
	}
	return out
}

func readTags(r io.Reader) ([]take.Record, error) {
	c := csv.NewReader(r)
	head, err := c.Read()
	if err != nil {
		return nil, bad("no line of column names: %v", err)
	}
	at := map[string]int{}
	for i, n := range head {
		at[n] = i
	}
	for _, n := range columns {
		if _, ok := at[n]; !ok {
			return nil, bad("line 1: no column %q", n)
		}
	}
	var rs []take.Record
	for {
		cells, err := c.Read()
		if errors.Is(err, io.EOF) {
			return rs, nil
		} else if err != nil {
			return nil, bad("%v", err)
		}
		line, _ := c.FieldPos(0)
		rec := take.Record{
			Worker:    cells[at["worker"]],
			Technique: cells[at["technique"]],
			Lot:       cells[at["lot"]],
			Bundle:    cells[at["bundle"]],
		}
		for _, f := range []struct {
			column string
			into   *float64
		}{{"mismatch", &rec.Mismatch}, {"store_days", &rec.StoreDays}} {
			if *f.into, err = strconv.ParseFloat(cells[at[f.column]], 64); err != nil || math.Abs(*f.into) > 1e6 || math.IsNaN(*f.into) {
				return nil, bad("line %d, column %s: %q is not a number", line, f.column, cells[at[f.column]])
			}
		}
		for _, f := range []struct {
			column string
			into   *int
		}{{"grafts", &rec.Grafts}, {"took", &rec.Took}} {
			if *f.into, err = strconv.Atoi(cells[at[f.column]]); err != nil || *f.into < 0 || *f.into > 1_000_000 {
				return nil, bad("line %d, column %s: %q is not a count", line, f.column, cells[at[f.column]])
			}
		}
		if rec.Took > rec.Grafts {
			return nil, bad("line %d, column took: %d took of %d grafts", line, rec.Took, rec.Grafts)
		}
		rs = append(rs, rec)
	}
}
