"""Made-up performances: grooves as rows of sixteenths (or triplets), played with a hand's spread."""
import numpy as np

# X accent, x normal, g ghost, f flam before an accent, r roll through the step, o open hat, p pedal hat.
GROOVES = {
    "straight": (16, ["kick X.....x.x.x.....", "snare ....X..g....X...", "hat x.x.x.x.x.x.x.x."],
                 ["kick X.........x.....", "snare ....X.......f.rr", "hat x.x.x.x.........", "rack ........xxx.....",
                  "floor ...........xX...", "crash X..............."]),
    "dense": (16, ["kick X..x..x.x..x....", "snare ....X..g.g..X..g", "hat XxxxXxxxXxxxXxxo"],
              ["kick X..x..x.x.......", "snare ....X..g.f..xxrr", "hat XxxxXxxx........", "rack ..........xx....", "floor ..............xx"]),
    "half": (16, ["kick X..........x....", "snare ........X.....g.", "hat x...x...x...x.o."],
             ["kick X...............", "snare ........f...xxxx", "ride x...x...........", "floor ....x.....x....."]),
    "triplets": (12, ["kick X.......xx..", "snare ...X..g..X.g", "hat X.xX.xX.xX.x"],
                 ["kick X...........", "snare ...X..rrrX..", "rack ......xx....", "floor ..........xX", "crash X..........."]),
    "hands": (16, ["kick X...x...X...x...", "snare gXggggXggXggggXg", "hat ..p...p...p...p."],
              ["kick X...x...X...x...", "snare xxxxxxxxrrrrX...", "rack ............xx..", "floor ..............xx"]),
    "toms": (16, ["kick X.....X...X.....", "floor x.xx.x.xx.x.x.xx", "rack ...x......x..x..", "snare ....X.......X..."],
             ["kick X...............", "rack xxXx............", "floor ....xxXxx.x.x.X.", "crash ..............X."]),
    "feet": (16, ["kick xxXxxxXxxxXxxxXx", "snare ....X.......X...", "ride X...X...X...X..."],
             ["kick xxxxxxxx........", "snare ........xxxxX...", "rack ............xx..", "floor ..............xX"]),
    "ride": (16, ["kick X.......g.x.....", "snare ......g.X.g.....", "ride X...x.x.X...x.x.", "hat ....p.......p..."],
             ["kick X.......x.......", "snare ..g.x.x.f.......", "ride X...x...........", "rack ............x.x.", "crash X..............."]),
    "offbeat": (16, ["kick X...X...X...X...", "snare ....X.......X...", "hat ..o...o...o...o."],
                ["kick X...X...X...X...", "snare ....X...xxxxf.X.", "hat ..o...o........."]),
}


def random_bar(rng, steps):
    """Rows as playing.GROOVES has them."""
    def cells(density, kinds, shares, grid):
        return [str(rng.choice(kinds, p=shares)) if i % grid == 0 and rng.random() < density else "." for i in range(steps)]

    rows = {"kick": cells(0.9 if rng.random() < .15 else rng.uniform(.15, .6), ["X", "x", "g"], [.5, .4, .1], int(rng.choice([1, 1, 2, 4]))),
            "snare": cells(rng.uniform(.05, .5), ["X", "x", "g", "f", "r"], [.3, .25, .25, .1, .1], int(rng.choice([1, 1, 2, 4])))}
    if rng.random() < .7:
        rows["snare"][steps // 4] = rows["snare"][3 * steps // 4] = "X"
    time = cells(rng.uniform(.6, 1), ["X", "x"], [.35, .65], int(rng.choice([1, 2, 4])))
    keeper = rng.random()
    if keeper < .62:
        odd = .08 if rng.random() < .5 else .25
        rows["hat"] = [str(rng.choice(["o", "p"])) if c != "." and rng.random() < odd else c for c in time]
    elif keeper < .85:
        rows["ride"] = time
        if rng.random() < .6:
            rows["hat"] = cells(.5, ["p"], [1.0], 4)
    if rng.random() < .45:
        for drum in ("rack", "floor"):
            rows[drum] = cells(rng.uniform(.1, .5), ["X", "x"], [.4, .6], int(rng.choice([1, 2])))
    if rng.random() < .4:
        rows["crash"] = cells(.08, ["X"], [1.0], 2)
    return [f"{drum} {''.join(row)}" for drum, row in rows.items()]


def play(rng, groove, bars, tempo, start, spread_ms, swing=0.5):
    """[(drum, seconds, level dB, class, articulation)] by time. Level 0 is an accent."""
    steps, plain, fill = GROOVES[groove]
    beat = 60 / tempo
    step = beat * (4 if steps == 16 else 4) / steps
    feel = {d: rng.normal(0, 1.5) for d in ("kick", "snare", "hat", "rack", "floor", "ride", "crash")}
    levels = {"X": (-2, 0), "x": (-8, -3), "g": (-22, -14), "f": (-2, 0), "r": (-13, -7), "o": (-5, -1), "p": (-14, -9)}
    kinds = {"X": "accent", "x": "normal", "g": "ghost", "f": "accent", "r": "roll", "o": "normal", "p": "normal"}
    strokes = []
    for bar in range(bars):
        for row in fill if bar % 4 == 3 else plain:
            drum, cells = row.split()
            for i, c in enumerate(cells):
                if c == ".":
                    continue
                place = i
                if steps == 16 and i % 4 == 2:  # the second eighth of a beat swings
                    place = i + 4 * (swing - 0.5)
                at = start + (bar * steps + place) * step
                low, high = levels[c]
                if c == "g" and drum != "snare":
                    low, high = -18, -12
                for part in (0, 0.5) if c == "r" else (0,):
                    # nobody is farther off than two and a half times his spread
                    off = spread_ms * np.clip(rng.normal(), -2.5, 2.5) * (0.4 if c == "r" else 1) + feel[drum]
                    t = at + part * step + off / 1000
                    strokes.append((drum, t, rng.uniform(low, high), kinds[c], "o" if c == "o" else "p" if c == "p" else "x"))
                    if c == "f":
                        strokes.append((drum, t - rng.uniform(0.018, 0.034), rng.uniform(-14, -8), "flam", "x"))
    strokes.sort(key=lambda s: s[1])
    last, kept = {}, []
    for s in strokes:  # one hand does not strike a drum twice within 15 ms
        if s[1] - last.get(s[0], -1) > 0.015:
            kept.append(s)
            last[s[0]] = s[1]
    return kept, start + bars * steps * step
