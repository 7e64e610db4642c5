package take

import (
	"math"

	"gonum.org/v1/gonum/blas"
	blasgo "gonum.org/v1/gonum/blas/gonum"
	lapackgo "gonum.org/v1/gonum/lapack/gonum"
)

var (
	dense  blasgo.Implementation
	lapack lapackgo.Implementation
)

// wide is how many columns are worked on at once: the first column kept of a
// row is brought down to a multiple of it, so that the rows below a block of
// columns are the same for each of them and small dense products do the work.
const wide = 32

// envelope is a symmetric positive definite matrix by the rows of its lower
// half, each kept from its first entry that may not be zero to the diagonal.
// What lies before the first entry of a row stays zero in the Cholesky factor
// too, so factor and matrix share one shape: the envelope or skyline method of
// George and Liu, Computer Solution of Large Sparse Positive Definite Systems.
// Factorising costs, for each block of columns, the square of the rows below
// it; nothing is spent on what is outside.
type envelope struct {
	first []int32 // the first column kept of each row
	start []int   // where each row stands in v; one more than there are rows
	v     []float64
}

// shaped makes an empty matrix of the shape that first gives.
func shaped(first []int32) envelope {
	e := envelope{first: first, start: make([]int, len(first)+1)}
	for i, f := range first {
		e.start[i+1] = e.start[i] + i - int(f) + 1
	}
	e.v = make([]float64, e.start[len(first)])
	return e
}

// aligned brings first columns down to the blocks.
func aligned(first []int32) {
	for i, f := range first {
		first[i] = f / wide * wide
	}
}

func (e *envelope) size() int { return len(e.first) }

func (e *envelope) row(i int) []float64 { return e.v[e.start[i]:e.start[i+1]] }

// place is where the entry of two columns stands; it must be in the shape.
func (e *envelope) place(a, b int) int {
	if a < b {
		a, b = b, a
	}
	return e.start[a] + b - int(e.first[a])
}

// from0 is where a row's column 0 would stand, were it kept.
func (e *envelope) from0(row int) int { return e.start[row] - int(e.first[row]) }

// block is a block of columns with the rows below it that meet it.
type block struct {
	from, to int
	below    []int
}

func (e *envelope) block(from int) block {
	b := block{from: from, to: min(from+wide, e.size())}
	for i := b.to; i < e.size(); i++ {
		if int(e.first[i]) <= from {
			b.below = append(b.below, i)
		}
	}
	return b
}

// corner copies the block's own square, its lower half.
func (e *envelope) corner(b block, into []float64) {
	n := b.to - b.from
	for x := range n {
		row := e.row(b.from + x)
		copy(into[x*n:x*n+x+1], row[b.from-int(e.first[b.from+x]):])
		clear(into[x*n+x+1 : (x+1)*n])
	}
}

// panel copies the rows below a block, over its columns.
func (e *envelope) panel(b block, into []float64) {
	n := b.to - b.from
	for x, i := range b.below {
		at := e.start[i] + b.from - int(e.first[i])
		copy(into[x*n:(x+1)*n], e.v[at:at+n])
	}
}

// stretches calls do for each run of neighbouring rows among the first so many
// below a block: of, the run's first place in the list, and its length.
func (b block) stretches(upTo int, do func(of, length int)) {
	for k := 0; k < upTo; {
		l := 1
		for k+l < upTo && b.below[k+l] == b.below[k]+l {
			l++
		}
		do(k, l)
		k += l
	}
}

// factorise turns A into L, A = LLᵀ, block by block: the block's own square,
// the rows below it, and what they take off the rest. False: A is not positive
// definite in rounding.
func (e *envelope) factorise() bool {
	var square, panel, across []float64
	for from := 0; from < e.size(); from += wide {
		b := e.block(from)
		n, r := b.to-b.from, len(b.below)
		square, panel, across = room(square, n*n), room(panel, r*n), room(across, r*n)
		e.corner(b, square)
		if !lapack.Dpotf2(blas.Lower, n, square, n) {
			return false
		}
		for x := range n {
			copy(e.row(from + x)[from-int(e.first[from+x]):], square[x*n:x*n+x+1])
		}
		if r == 0 {
			continue
		}
		e.panel(b, panel)
		dense.Dtrsm(blas.Right, blas.Lower, blas.Trans, blas.NonUnit, r, n, 1, square, n, panel, n)
		turn(panel, r, n, across)
		rows := func(begin, end int) {
			for x := begin; x < end; x++ {
				i := b.below[x]
				row, first, own := e.row(i), int(e.first[i]), panel[x*n:(x+1)*n]
				copy(row[from-first:], own)
				b.stretches(x+1, func(of, length int) {
					takeOff(row[b.below[of]-first:][:length], own, across[of:], r)
				})
			}
		}
		if r*r*n < manyProducts {
			rows(0, r)
			continue
		}
		half := r * 7 / 10 // the later rows are the longer
		both(func() { rows(0, half) }, func() { rows(half, r) })
	}
	return true
}

// takeOff takes Σ own[k] × columns[k×apart:] off to. Four columns are walked at
// once: a sum is fetched and put back once for four products.
func takeOff(to, own, columns []float64, apart int) {
	k, n := 0, len(to)
	for ; k+4 <= len(own); k += 4 {
		a, b, c, d := own[k], own[k+1], own[k+2], own[k+3]
		p, q := columns[k*apart:][:n], columns[(k+1)*apart:][:n]
		r, s := columns[(k+2)*apart:][:n], columns[(k+3)*apart:][:n]
		for t := range to {
			to[t] -= a*p[t] + b*q[t] + c*r[t] + d*s[t]
		}
	}
	for ; k < len(own); k++ {
		dense.Daxpy(n, -own[k], columns[k*apart:], 1, to, 1)
	}
}

// halfTimes lays a stretch of a symmetric matrix's row x, from column of on,
// into −matrix × columns, for the row itself and, turned, for those it passes.
// Both are by columns, r apart; two columns are walked at once.
func halfTimes(part, columns, into []float64, r, n, of, x int) {
	l, k := len(part), 0
	for ; k+2 <= n; k += 2 {
		p, q := columns[k*r+of:][:l], columns[(k+1)*r+of:][:l]
		u, v := into[k*r+of:][:l], into[(k+1)*r+of:][:l]
		a, b := columns[k*r+x], columns[(k+1)*r+x]
		var sa, sb float64
		for t, z := range part {
			sa += z * p[t]
			sb += z * q[t]
			u[t] -= z * a
			v[t] -= z * b
		}
		into[k*r+x] -= sa
		into[(k+1)*r+x] -= sb
	}
	for ; k < n; k++ {
		into[k*r+x] -= dense.Ddot(l, part, 1, columns[k*r+of:], 1)
		dense.Daxpy(l, -columns[k*r+x], part, 1, into[k*r+of:], 1)
	}
}

// turn writes a matrix of r rows and n columns by its columns.
func turn(m []float64, r, n int, into []float64) {
	for x := range r {
		for k, v := range m[x*n : (x+1)*n] {
			into[k*r+x] = v
		}
	}
}

// room gives a slice of n, of the old memory where that is enough. What it
// holds is not said.
func room(old []float64, n int) []float64 {
	if cap(old) < n {
		return make([]float64, n)
	}
	return old[:n]
}

// solve turns x into A⁻¹x, of a factorised envelope.
func (e *envelope) solve(x []float64) {
	for i := range e.size() {
		row, from := e.row(i), int(e.first[i])
		n := i - from
		s := x[i]
		if n > 0 {
			s -= dense.Ddot(n, row, 1, x[from:], 1)
		}
		x[i] = s / row[n]
	}
	for i := e.size() - 1; i >= 0; i-- {
		row, from := e.row(i), int(e.first[i])
		n := i - from
		x[i] /= row[n]
		if n > 0 {
			dense.Daxpy(n, -x[i], row, 1, x[from:], 1)
		}
	}
}

// logDet is ln det A, of a factorised envelope.
func (e *envelope) logDet() float64 {
	s := 0.0
	for i := range e.size() {
		s += math.Log(e.v[e.start[i+1]-1])
	}
	return 2 * s
}

// inverse gives the entries of A⁻¹ inside the envelope, of a factorised one.
//
// It is the recurrence of Takahashi, Fagan and Chin (1973), by blocks from the
// last to the first. With J a block's columns, R the rows below it and Z the
// inverse, ZL = L⁻ᵀ gives Z_RJ = −Z_RR L_RJ L_JJ⁻¹ and then
// Z_JJ = (L_JJ⁻ᵀ − Z_JR L_RJ) L_JJ⁻¹. Two rows of one block always have their
// own entry inside the envelope, so nothing outside it is ever asked for.
func (e *envelope) inverse() envelope {
	z := shaped(e.first)
	var square, panel, across, under, own []float64
	for from := (e.size() - 1) / wide * wide; from >= 0 && e.size() > 0; from -= wide {
		b := e.block(from)
		n, r := b.to-b.from, len(b.below)
		square, own = room(square, n*n), room(own, n*n)
		panel, across, under = room(panel, r*n), room(across, r*n), room(under, r*n)
		e.corner(b, square)
		e.panel(b, panel)
		if r > 0 {
			// under = −Z_RR L_RJ, Z by its lower half: each of its rows serves its
			// own row of the product and, turned, those before it.
			turn(panel, r, n, across)
			clear(under)
			columns := func(begin, end int) {
				with, into := across[begin*r:end*r], under[begin*r:end*r]
				for x, i := range b.below {
					row, first := z.row(i), int(z.first[i])
					b.stretches(x, func(of, length int) {
						halfTimes(row[b.below[of]-first:][:length], with, into, r, end-begin, of, x)
					})
					d := row[i-first]
					for k := range end - begin {
						into[k*r+x] -= d * with[k*r+x]
					}
				}
			}
			if r*r*n < manyProducts {
				columns(0, n)
			} else {
				both(func() { columns(0, n/2) }, func() { columns(n/2, n) })
			}
			turn(under, n, r, across)
			under, across = across, under
			dense.Dtrsm(blas.Right, blas.Lower, blas.NoTrans, blas.NonUnit, r, n, 1, square, n, under, n)
		}
		clear(own)
		for x := range n {
			own[x*n+x] = 1
		}
		dense.Dtrsm(blas.Left, blas.Lower, blas.Trans, blas.NonUnit, n, n, 1, square, n, own, n)
		if r > 0 {
			dense.Dgemm(blas.Trans, blas.NoTrans, n, n, r, -1, under, n, panel, n, 1, own, n)
		}
		dense.Dtrsm(blas.Right, blas.Lower, blas.NoTrans, blas.NonUnit, n, n, 1, square, n, own, n)
		for x := range n {
			copy(z.row(from + x)[from-int(z.first[from+x]):], own[x*n:x*n+x+1])
		}
		for x, i := range b.below {
			copy(z.row(i)[from-int(z.first[i]):], under[x*n:(x+1)*n])
		}
	}
	return z
}

// narrow orders columns so that the rows of the envelope are short: those that
// meet more than many others come last, and the rest follow reverse
// Cuthill–McKee (a walk by breadth from a column at the edge, fewest
// neighbours first, turned round). It gives each column's place.
func narrow(neighbours [][]int32) []int32 {
	n := len(neighbours)
	many := max(16, int(10*math.Sqrt(float64(n))))
	at := make([]int32, n)
	var order, last []int32
	seen := make([]bool, n)
	for c := range n {
		if len(neighbours[c]) > many {
			seen[c] = true
			last = append(last, int32(c))
		}
	}
	walk := func(from int32) []int32 {
		out := []int32{from}
		seen[from] = true
		for k := 0; k < len(out); k++ {
			begin := len(out)
			for _, c := range neighbours[out[k]] {
				if !seen[c] {
					seen[c] = true
					out = append(out, c)
				}
			}
			byFewest(out[begin:], neighbours)
		}
		return out
	}
	for c := range n {
		if seen[c] {
			continue
		}
		// Once to find a column at the edge, once from there.
		found := walk(int32(c))
		edge := found[len(found)-1]
		for _, x := range found {
			seen[x] = false
		}
		order = append(order, walk(edge)...)
	}
	for i, c := range order {
		at[c] = int32(len(order) - 1 - i)
	}
	for i, c := range last {
		at[c] = int32(len(order) + i)
	}
	return at
}
