// SPDX-License-Identifier: GPL-2.0
/* A GPIO chip and a PWM chip without hardware, for tests: each change of a line or a channel is kept
 * with its time, in order, and read from debugfs (windpin_bench/log; writing to it forgets all). And
 * a counter, which says what is written to windpin_bench/count. */
#include <linux/counter.h>
#include <linux/debugfs.h>
#include <linux/gpio/driver.h>
#include <linux/module.h>
#include <linux/platform_device.h>
#include <linux/pwm.h>
#include <linux/seq_file.h>
#include <linux/slab.h>
#include <linux/spinlock.h>

#define LINES   32
#define ENTRIES 32768

static unsigned int channels = 4;
module_param(channels, uint, 0444);
static unsigned long shortest = 1000, longest = 1000000000; /* periods it takes, ns */
module_param(shortest, ulong, 0644);
module_param(longest, ulong, 0644);

struct entry {
	u64 ns;
	char what[8]; /* in, out, pwm */
	unsigned int number;
	u64 a, b; /* level; period and duty */
	bool on, inverted;
};

static struct entry *entries;
static size_t count;
static DEFINE_SPINLOCK(guard);
static u32 levels, outputs;
static struct dentry *folder;
static struct platform_device *device;

static void keep(struct entry e)
{
	unsigned long flags;

	e.ns = ktime_get_ns();
	spin_lock_irqsave(&guard, flags);
	if (count < ENTRIES)
		entries[count++] = e;
	spin_unlock_irqrestore(&guard, flags);
}

/* ---- lines ---- */

static int get_direction(struct gpio_chip *chip, unsigned int line)
{
	return outputs & BIT(line) ? GPIO_LINE_DIRECTION_OUT : GPIO_LINE_DIRECTION_IN;
}

static int get(struct gpio_chip *chip, unsigned int line)
{
	return !!(levels & BIT(line));
}

static void put(unsigned int line, int value)
{
	levels = value ? levels | BIT(line) : levels & ~BIT(line);
}

static void set(struct gpio_chip *chip, unsigned int line, int value)
{
	put(line, value);
	keep((struct entry){ .what = "out", .number = line, .a = !!value });
}

static int to_input(struct gpio_chip *chip, unsigned int line)
{
	outputs &= ~BIT(line);
	put(line, 0); /* a resistor to ground */
	keep((struct entry){ .what = "in", .number = line });
	return 0;
}

static int to_output(struct gpio_chip *chip, unsigned int line, int value)
{
	outputs |= BIT(line);
	set(chip, line, value);
	return 0;
}

static struct gpio_chip gpio = {
	.label = "windpin-bench",
	.owner = THIS_MODULE,
	.base = -1,
	.ngpio = LINES,
	.get_direction = get_direction,
	.get = get,
	.set = set,
	.direction_input = to_input,
	.direction_output = to_output,
};

/* ---- channels ---- */

static int apply(struct pwm_chip *chip, struct pwm_device *pwm, const struct pwm_state *state)
{
	if (state->period < shortest || state->period > longest)
		return -EINVAL;
	keep((struct entry){ .what = "pwm", .number = pwm->hwpwm, .a = state->period,
			     .b = state->duty_cycle, .on = state->enabled,
			     .inverted = state->polarity == PWM_POLARITY_INVERSED });
	return 0;
}

static const struct pwm_ops pwm_ops = { .apply = apply, .owner = THIS_MODULE };

/* ---- the counter ---- */

static u64 counted;

static int count_read(struct counter_device *counter, struct counter_count *of, u64 *value)
{
	*value = counted;
	return 0;
}

static int function_read(struct counter_device *counter, struct counter_count *of,
			 enum counter_function *function)
{
	*function = COUNTER_FUNCTION_QUADRATURE_X4;
	return 0;
}

static const struct counter_ops counter_ops = { .count_read = count_read,
						.function_read = function_read };
static const enum counter_function functions[] = { COUNTER_FUNCTION_QUADRATURE_X4 };
static struct counter_count counts[] = { { .id = 0,
					   .name = "shaft",
					   .functions_list = functions,
					   .num_functions = ARRAY_SIZE(functions) } };

static int add_counter(struct device *parent)
{
	struct counter_device *counter = devm_counter_alloc(parent, 0);

	if (!counter)
		return -ENOMEM;
	counter->name = "windpin-bench";
	counter->parent = parent;
	counter->ops = &counter_ops;
	counter->counts = counts;
	counter->num_counts = ARRAY_SIZE(counts);
	return devm_counter_add(parent, counter);
}

/* ---- the log ---- */

static int show(struct seq_file *to, void *unused)
{
	size_t i;

	for (i = 0; i < count; i++) {
		struct entry *e = &entries[i];

		if (e->what[0] == 'p')
			seq_printf(to, "%llu pwm %u %llu %llu %d %d\n", e->ns, e->number, e->a, e->b,
				   e->on, e->inverted);
		else
			seq_printf(to, "%llu %s %u %llu\n", e->ns, e->what, e->number, e->a);
	}
	return 0;
}

static int open_log(struct inode *inode, struct file *file)
{
	return single_open_size(file, show, NULL, 1 << 21);
}

static ssize_t forget(struct file *file, const char __user *from, size_t size, loff_t *at)
{
	unsigned long flags;

	spin_lock_irqsave(&guard, flags);
	count = 0;
	spin_unlock_irqrestore(&guard, flags);
	return size;
}

static const struct file_operations log_ops = { .owner = THIS_MODULE,
						.open = open_log,
						.read = seq_read,
						.write = forget,
						.llseek = seq_lseek,
						.release = single_release };

/* ---- begin and end ---- */

static int probe(struct platform_device *p)
{
	struct pwm_chip *pwm = devm_kzalloc(&p->dev, sizeof(*pwm), GFP_KERNEL);
	int status;

	entries = devm_kcalloc(&p->dev, ENTRIES, sizeof(*entries), GFP_KERNEL);
	if (!pwm || !entries)
		return -ENOMEM;
	pwm->dev = &p->dev;
	pwm->ops = &pwm_ops;
	pwm->npwm = channels;
	gpio.parent = &p->dev;
	status = devm_gpiochip_add_data(&p->dev, &gpio, NULL);
	status = status ? status : devm_pwmchip_add(&p->dev, pwm);
	return status ? status : add_counter(&p->dev);
}

static struct platform_driver driver = { .probe = probe, .driver = { .name = "windpin-bench" } };

static int __init begin(void)
{
	int status = platform_driver_register(&driver);

	if (status)
		return status;
	device = platform_device_register_simple("windpin-bench", 0, NULL, 0);
	if (IS_ERR(device)) {
		platform_driver_unregister(&driver);
		return PTR_ERR(device);
	}
	folder = debugfs_create_dir("windpin_bench", NULL);
	debugfs_create_file("log", 0600, folder, NULL, &log_ops);
	debugfs_create_u64("count", 0600, folder, &counted);
	return 0;
}

static void __exit end(void)
{
	debugfs_remove_recursive(folder);
	platform_device_unregister(device);
	platform_driver_unregister(&driver);
}

module_init(begin);
module_exit(end);
MODULE_DESCRIPTION("GPIO and PWM without hardware, with a log");
MODULE_LICENSE("GPL");
MODULE_IMPORT_NS(COUNTER);
