/* Periods of a motor whose load's torque goes with the square of its speed. For as long as a leap
 * of it takes, that torque is constant: what it is at the mean speed. All that a period does is
 * linear in it, but for what heats, which is of second degree: so three values of it show all
 * others. */
#include "plant.h"
#include <math.h>
#include <string.h>

#define LONGEST 1e-3         /* s: short against any change of a shaft with a fan */
#define STEADY  (1.0 / 4096) /* the share of its speed that its mean may be off by */
#define NUMBERS (sizeof(wpin_effect) / sizeof(double))

static wpin_effect effect_of(const wpin_plant *plant, const wpin_pattern *pattern, double push,
                             wpin_period *p) {
    wpin_effect effect;
    wpin_period_make(plant, pattern, push, p);
    effect.of.whole = p->whole;
    memcpy(effect.of.ends, p->ends, sizeof p->ends);
    return effect;
}

static void make(const wpin_plant *plant, const wpin_pattern *pattern, wpin_fan_kept *fan) {
    double fastest = plant->feed.volts / plant->motor.constant; /* or so: a size to take steps by */
    double size = fmax(plant->quadratic * fastest * fastest / plant->inertia, 1);
    wpin_effect less = effect_of(plant, pattern, -size, &fan->now);
    wpin_effect more = effect_of(plant, pattern, size, &fan->now);
    fan->without = effect_of(plant, pattern, 0, &fan->now);
    for (size_t i = 0; i < NUMBERS; i++) {
        fan->by.all[i] = (more.all[i] - less.all[i]) / (2 * size);
        fan->by_square.all[i] =
            ((more.all[i] + less.all[i]) / 2 - fan->without.all[i]) / (size * size);
    }
}

wpin_fan_kept *wpin_fan_find(wpin_plant *plant, const wpin_pattern *pattern) {
    unsigned slot = wpin_pattern_slot(pattern, plant->constants_number, WPIN_FANS_BITS);
    wpin_fan_kept *fan = &plant->solved->fans[slot];
    if (fan->now.made != plant->constants_number || !wpin_pattern_is(&fan->now.pattern, pattern)) {
        make(plant, pattern, fan);
    }
    return fan;
}

void wpin_fan_turn(const wpin_plant *plant, wpin_fan_kept *fan, double speed) {
    double push = -plant->quadratic * speed * fabs(speed) / plant->inertia; /* rad/s2 */
    wpin_effect now;
    for (size_t i = 0; i < NUMBERS; i++) {
        now.all[i] = fan->without.all[i] + push * (fan->by.all[i] + push * fan->by_square.all[i]);
    }
    fan->now.whole = now.of.whole;
    memcpy(fan->now.ends, now.of.ends, sizeof now.of.ends);
}

int wpin_fan_most(const wpin_fan_kept *fan, int most_periods) {
    double longest = fmax(LONGEST / fan->now.seconds, 1);
    return longest < most_periods ? (int)longest : most_periods;
}

bool wpin_fan_is_even(const wpin_plant *plant, double mean_speed) {
    return fabs(mean_speed - plant->speed) <= STEADY * fabs(plant->speed);
}
