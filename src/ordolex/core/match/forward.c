/* The forward algorithm of forward.py, a candidate at a time: the same steps under the same names, in float as there.

   forward.py is what is meant; this is what is fast. tests/core/test_compiled.py holds one against the other. Nothing
   is allocated here: all arrays are the caller's (compiled.py). */

#include <math.h>
#include <stdint.h>
#include <string.h>

enum { LONGEST = 12, IDLE = LONGEST, STATES = LONGEST + 1 };
enum { UNKNOWN = 2, NOTHING = 3 };
enum { MASK = 8, BEFORE = 16, SEEN = 19, CHARACTER = (1 << SEEN) - 1 };

#define NEVER (-INFINITY)
#define LN_2 0.69314718056f
#define FORGOTTEN 18.0f /* nats: less than this below the likeliest, and a float does not change by it */

typedef struct {
    int32_t candidates, rates;
    const int32_t *format_of, *rate_of, *inverted, *content_of; /* (C,); where the content's table begins */
    const double *ratios;                                       /* (R,) */
    const float *odds;    /* (F, 3, STATES) */
    const int32_t *adds;  /* (F, 3, STATES) */
    const float *open;    /* (F, 2, STATES, STATES) */
    const int32_t *run;   /* (F, 2, STATES, STATES) */
    const int32_t *last, *full, *parity; /* (F,) */
    const float *content;     /* the tables one behind the other */
    const float *parity_odds; /* (3, 4, 256) */
    const int32_t *was;       /* (256,) */
    float next, rest, start, stay, lost, no_rest, wrong, half, own_spread, astray;
    int32_t line_begins;
} Tables;

typedef struct {
    int32_t count;
    const int32_t *from;   /* (S + 1,) where a segment's bits begin, in rows */
    const int8_t *bits;    /* (rows, R) */
    const float *clashes;  /* (S, R) */
    const double *lasts;   /* (S,) receiver's bits; NaN where not known */
    const double *spread;  /* (S,) */
    const int8_t *rested, *inner, *ends; /* (S,) whether it rested before; not the first byte; level of the last sample */
} Parts;

typedef struct {
    float *weight;    /* (C, STATES) */
    int32_t *packed;  /* (C, STATES) */
    int32_t *past;    /* (C, STATES), or NULL */
    int32_t *length;  /* (C,) the sender's bits of the segment before */
    int32_t low, untold, begun;
    double lasts, spread; /* of the segment before */
    int32_t *before, *frame, *frames; /* (C, capacity) the frames that ended, and how many: (C,) */
    int8_t *right;
    int32_t capacity;
} Progress;

typedef struct {
    float weight[STATES];
    int32_t packed[STATES], past[STATES];
} State;

/* One candidate: its tables, and where its frames are kept. */
typedef struct {
    const Tables *tables;
    const float *odds, *content, *open;
    const int32_t *adds, *run;
    int32_t last, full, parity, inverted;
    int32_t *before, *frame, *frames, capacity;
    int8_t *right;
} One;

static inline float log_add(float a, float b) {
    float top = a > b ? a : b, apart = a > b ? a - b : b - a;
    if (top == NEVER || apart > FORGOTTEN) return top;
    return a == b ? a + LN_2 : top + log1pf(expf(-apart));
}

static inline float worth(const One *one, int32_t packed) { return one->content[packed & CHARACTER]; }

static float parity_odds(const One *one, int32_t frame) {
    if ((frame & 0xFF00) == one->full)
        return one->tables->parity_odds[one->parity * 1024 + ((frame >> SEEN) & 3) * 256 + (frame & 0xFF)];
    return one->parity == 2 ? 0.0f : one->tables->half * ((frame >> SEEN) & 1);
}

static inline int32_t was(const One *one, int32_t frame) {
    return (frame & 0xFF00) == one->full ? one->tables->was[frame & 0xFF] : 0;
}

static float ended(const One *one, const State *now) {
    int32_t frame = now->packed[one->last];
    return now->weight[one->last] + worth(one, frame) + parity_odds(one, frame);
}

static int32_t keep_frame(One *one, int32_t before, int32_t frame, int right) {
    int32_t number = *one->frames;
    if (number >= one->capacity) return before; /* cannot be: compiled.py reckons the most there may be */
    one->before[number] = before;
    one->frame[number] = frame;
    one->right[number] = (int8_t)right;
    *one->frames = number + 1;
    return number;
}

static int32_t frame_ended(One *one, const State *now) {
    int32_t frame = now->packed[one->last];
    return keep_frame(one, now->past[one->last], frame, parity_odds(one, frame) > one->tables->wrong / 2);
}

/* One bit of the sender, as he means it. */
static void step(One *one, State *now, int level, float stay_odds) {
    if (level == NOTHING) return;
    const Tables *t = one->tables;
    const float *odds = one->odds + level * STATES;
    const int32_t *adds = one->adds + level * STATES;
    float end = ended(one, now), rest = now->weight[IDLE];
    float next = end + t->next, start = rest + t->start, stop = end + t->rest, stay = rest + stay_odds;
    int begun = next >= start, stopped = stop >= stay;
    int32_t mine = was(one, now->packed[one->last]), idle = now->packed[IDLE], idle_past = now->past[IDLE], number = 0;
    if (one->frames && (begun || stopped)) number = frame_ended(one, now);
    for (int place = IDLE - 1; place > 0; place--) {
        now->weight[place] = now->weight[place - 1] + odds[place];
        now->packed[place] = now->packed[place - 1] | adds[place];
        now->past[place] = now->past[place - 1];
    }
    now->weight[0] = odds[0] + log_add(next, start);
    now->packed[0] = adds[0] | (begun ? mine : idle);
    now->past[0] = begun ? number : idle_past;
    now->weight[IDLE] = odds[IDLE] + log_add(stop, stay);
    now->packed[IDLE] = adds[IDLE] | (stopped ? mine : idle);
    now->past[IDLE] = stopped ? number : idle_past;
}

/* Two ways into each state: the weights add, the character of the likelier one stays. */
static void add(const One *one, State *a, const State *b) {
    for (int place = 0; place < STATES; place++) {
        if (b->weight[place] == NEVER) continue;
        float worth_a = worth(one, a->packed[place]), worth_b = worth(one, b->packed[place]);
        float full_a = a->weight[place] + worth_a, full_b = b->weight[place] + worth_b;
        if (full_b > full_a) {
            a->packed[place] = b->packed[place];
            a->past[place] = b->past[place];
            worth_a = worth_b;
        }
        a->weight[place] = log_add(full_a, full_b) - worth_a;
    }
}

static void begin_frames(One *one, State *now) {
    const Tables *t = one->tables;
    float next = ended(one, now) + t->next, start = now->weight[IDLE] + t->start, begun = log_add(next, start);
    int ends = next >= start;
    if (begun > now->weight[0]) {
        now->packed[0] = ends ? was(one, now->packed[one->last]) : now->packed[IDLE];
        if (one->frames) now->past[0] = ends ? frame_ended(one, now) : now->past[IDLE];
    }
    now->weight[0] = log_add(begun, now->weight[0]);
}

static void rest_after_frames(One *one, State *now) {
    const Tables *t = one->tables;
    float stop = ended(one, now) + (t->rest - t->start), stay = now->weight[IDLE] - t->start;
    if (stop >= stay) {
        if (one->frames) now->past[IDLE] = frame_ended(one, now);
        now->packed[IDLE] = was(one, now->packed[one->last]);
    }
    now->weight[IDLE] = log_add(stop, stay);
}

/* None, one or more bits at this level of the line. */
static void any_number(One *one, State *now, int level) {
    int meant = level ^ one->inverted;
    if (!meant) begin_frames(one, now);
    const float *open = one->open + meant * STATES * STATES;
    const int32_t *run = one->run + meant * STATES * STATES;
    State out;
    for (int place = 0; place < STATES; place++) {
        float full[STATES], top = NEVER, sum = 0.0f, chosen_worth = 0.0f;
        int chosen = 0;
        int32_t chosen_packed = now->packed[0] | run[place];
        int from = place == IDLE ? IDLE : 0; /* a rest is reached from a rest alone */
        for (int start = from; start <= place; start++) {
            if (open[start * STATES + place] == NEVER || now->weight[start] == NEVER) {
                full[start] = NEVER;
                continue;
            }
            int32_t led = now->packed[start] | run[start * STATES + place];
            float is_worth = worth(one, led);
            full[start] = now->weight[start] + is_worth;
            if (full[start] > top) {
                top = full[start];
                chosen = start;
                chosen_packed = led;
                chosen_worth = is_worth;
            }
        }
        if (top == NEVER) {
            out.weight[place] = NEVER;
        } else {
            for (int start = from; start <= place; start++)
                if (top - full[start] < FORGOTTEN) sum += start == chosen ? 1.0f : expf(full[start] - top);
            out.weight[place] = top + (sum == 1.0f ? 0.0f : logf(sum)) - chosen_worth;
        }
        out.packed[place] = chosen_packed;
        out.past[place] = now->past[chosen];
    }
    *now = out;
    if (meant) rest_after_frames(one, now);
}

static void to_the_edge(One *one, State *now, int low) {
    if (low) {
        any_number(one, now, 0);
        step(one, now, 1 ^ one->inverted, one->tables->stay);
    }
    any_number(one, now, 1);
}

/* The same where it is known how long that took: `gap` in the sender's bits, `most` for all candidates. */
static void counted(One *one, State *now, int low, double gap, double width, int most) {
    State lows = *now, highs = *now, out, other;
    float odds[LONGEST + 1];
    for (int count = 0; count <= most; count++) {
        double off = (count - gap) / width;
        odds[count] = (float)log(exp(-0.5 * off * off) + one->tables->astray);
    }
    if (gap >= most) odds[most] = 0.0f;
    for (int place = 0; place < STATES; place++) (low ? &highs : &lows)->weight[place] = NEVER;
    out = highs;
    for (int place = 0; place < STATES; place++) out.weight[place] += odds[0];
    for (int count = 1; count <= most; count++) {
        if (low && count == 1) {
            highs = lows;
            step(one, &highs, 1 ^ one->inverted, 0.0f);
        } else {
            step(one, &highs, 1 ^ one->inverted, 0.0f);
            if (low) {
                other = lows;
                step(one, &other, 1 ^ one->inverted, 0.0f);
                add(one, &highs, &other);
            }
        }
        if (low) step(one, &lows, 0 ^ one->inverted, 0.0f);
        other = highs;
        for (int place = 0; place < STATES; place++) other.weight[place] += odds[count];
        add(one, &out, &other);
    }
    *now = out;
}

static int likeliest(const One *one, const State *now, float *full) {
    int best = 0;
    for (int place = 0; place < STATES; place++) {
        full[place] = now->weight[place] + worth(one, now->packed[place]);
        if (full[place] > full[best]) best = place;
    }
    return best;
}

static float log_sum(const float *full, float top) {
    if (top == NEVER) return NEVER;
    float sum = 0.0f;
    for (int place = 0; place < STATES; place++)
        if (top - full[place] < FORGOTTEN) sum += expf(full[place] - top);
    return top + logf(sum);
}

/* The line was at rest: whatever was under way has ended. */
static void rested(One *one, State *now) {
    float full[STATES];
    int best = likeliest(one, now, full);
    if (one->frames) {
        int32_t before = now->past[best];
        now->past[IDLE] = best == IDLE ? before : keep_frame(one, before, now->packed[best], 1);
    }
    for (int place = 0; place < STATES; place++) now->weight[place] += one->tables->no_rest;
    now->weight[IDLE] = log_sum(full, full[best]);
    now->packed[IDLE] = one->tables->line_begins << BEFORE;
}

/* Allows that the sender is anywhere, at a price. */
static void lost(One *one, State *now) {
    float full[STATES];
    int best = likeliest(one, now, full);
    float floor = full[best] + one->tables->lost;
    int32_t past = now->past[best];
    for (int place = 0; place < STATES; place++)
        if (full[place] < floor && (place <= one->last || place == IDLE)) {
            now->weight[place] = floor;
            now->packed[place] = 0;
            now->past[place] = past;
        }
}

/* What is known of the time behind a segment: none, or its length and how far that may be off. */
typedef struct {
    int known, most;
    double lasts, spread;
} Behind;

static double width_of(const Tables *t, double spread, double ratio) { return hypot(t->own_spread, spread * ratio); }

static Behind behind_of(const Tables *t, const int32_t *length, double lasts, double spread, int begun) {
    Behind out = {begun && !isnan(lasts), 0, lasts, spread};
    if (!out.known) return out;
    double most = -INFINITY;
    for (int c = 0; c < t->candidates; c++) {
        double ratio = t->ratios[t->rate_of[c]];
        double here = lasts * ratio - length[c] + 2 * width_of(t, spread, ratio);
        if (here > most) most = here;
    }
    most = ceil(most);
    out.most = most > LONGEST ? LONGEST : most < 1 ? 1 : (int)most;
    return out;
}

static void behind(One *one, State *now, int low, const Behind *time, double ratio, int length) {
    if (time->known)
        counted(one, now, low, time->lasts * ratio - length, width_of(one->tables, time->spread, ratio), time->most);
    else
        to_the_edge(one, now, low);
}

static int meant_at(const Parts *parts, const Tables *t, int32_t row, int32_t rate, int inverted) {
    int level = parts->bits[(int64_t)row * t->rates + rate];
    return level < UNKNOWN ? level ^ inverted : level;
}

static void bits(One *one, State *now, const Parts *parts, int part, int rate, int count) {
    for (int bit = 0; bit < count; bit++)
        step(one, now, meant_at(parts, one->tables, parts->from[part] + bit, rate, one->inverted), one->tables->stay);
}

/* A segment whose last sample is not told: both levels are followed, each to the next falling edge. */
static void both_ways(
    One *one, State *now, const Parts *parts, int part, int rate, int count, const Behind *time, double ratio
) {
    int told = meant_at(parts, one->tables, parts->from[part] + count - 1, rate, one->inverted);
    bits(one, now, parts, part, rate, count - 1);
    State ways[2] = {*now, *now};
    for (int level = 1; level >= 0; level--) {
        State *way = &ways[level];
        int meant = level ^ one->inverted;
        step(one, way, told == UNKNOWN ? meant : told, one->tables->stay);
        if (told != UNKNOWN && told != meant)
            for (int place = 0; place < STATES; place++) way->weight[place] = NEVER;
        behind(one, way, level == 0, time, ratio, count);
    }
    add(one, &ways[1], &ways[0]);
    *now = ways[1];
}

static One candidate(const Tables *t, Progress *p, int c) {
    int f = t->format_of[c];
    One one = {
        t, t->odds + f * 3 * STATES, t->content + t->content_of[c], t->open + f * 2 * STATES * STATES,
        t->adds + f * 3 * STATES, t->run + f * 2 * STATES * STATES, t->last[f], t->full[f], t->parity[f],
        t->inverted[c], 0, 0, 0, p->capacity, 0,
    };
    if (p->past) {
        one.before = p->before + (int64_t)c * p->capacity;
        one.frame = p->frame + (int64_t)c * p->capacity;
        one.right = p->right + (int64_t)c * p->capacity;
        one.frames = p->frames + c;
    }
    return one;
}

/* Goes on over these segments; see Forward.run. */
void ordolex_run(const Tables *t, const Parts *parts, Progress *p) {
    for (int part = 0; part < parts->count; part++) {
        int rows = parts->from[part + 1] - parts->from[part], untold = parts->ends[part] == UNKNOWN;
        Behind before = behind_of(t, p->length, p->lasts, p->spread, p->begun), after = {0, 0, 0, 0};
        int32_t *length = p->length;
        /* lengths of this segment are needed for all before any is followed: `most` is one for all candidates */
        for (int pass = 0; pass < 2; pass++) {
            if (pass) after = behind_of(t, length, parts->lasts[part], parts->spread[part], 1);
            for (int c = 0; c < t->candidates; c++) {
                int rate = t->rate_of[c];
                double ratio = t->ratios[rate];
                State now;
                One one = candidate(t, p, c);
                memcpy(now.weight, p->weight + c * STATES, sizeof now.weight);
                memcpy(now.packed, p->packed + c * STATES, sizeof now.packed);
                if (p->past) memcpy(now.past, p->past + c * STATES, sizeof now.past);
                else memset(now.past, 0, sizeof now.past);
                if (!pass) {
                    if (parts->rested[part]) {
                        if (parts->inner[part] && !p->untold && !p->low && one.inverted)
                            for (int place = 0; place < STATES; place++) now.weight[place] += 2 * t->wrong;
                        rested(&one, &now);
                        to_the_edge(&one, &now, one.inverted);
                    } else if (!p->untold) {
                        behind(&one, &now, p->low, &before, ratio, length[c]);
                    }
                    int count = 0;
                    while (count < rows && parts->bits[((int64_t)parts->from[part] + count) * t->rates + rate] != NOTHING)
                        count++;
                    length[c] = count;
                } else {
                    if (untold)
                        both_ways(&one, &now, parts, part, rate, length[c], &after, ratio);
                    else
                        bits(&one, &now, parts, part, rate, length[c]);
                    for (int place = 0; place < STATES; place++)
                        now.weight[place] += parts->clashes[(int64_t)part * t->rates + rate];
                    lost(&one, &now);
                }
                memcpy(p->weight + c * STATES, now.weight, sizeof now.weight);
                memcpy(p->packed + c * STATES, now.packed, sizeof now.packed);
                if (p->past) memcpy(p->past + c * STATES, now.past, sizeof now.past);
            }
        }
        p->low = parts->ends[part] == 0;
        p->untold = untold;
        p->begun = 1;
        p->lasts = parts->lasts[part];
        p->spread = parts->spread[part];
    }
}

/* Whether the caller's structures are those of this source. */
int32_t ordolex_layout(void) { return (int32_t)(sizeof(Tables) + sizeof(Parts) + sizeof(Progress)); }

/* (C,) log weight of all so far, and where the sender most likely is. */
void ordolex_totals(const Tables *t, Progress *p, float *totals, int32_t *places) {
    for (int c = 0; c < t->candidates; c++) {
        One one = candidate(t, p, c);
        State now;
        float full[STATES];
        memcpy(now.weight, p->weight + c * STATES, sizeof now.weight);
        memcpy(now.packed, p->packed + c * STATES, sizeof now.packed);
        places[c] = likeliest(&one, &now, full);
        totals[c] = log_sum(full, full[places[c]]);
    }
}
