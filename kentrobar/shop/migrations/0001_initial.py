"""The settings come from ``recipes`` with their table and its row; only the state is new here."""

import django.core.validators
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [("recipes", "0002_settings_move_out")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name='Settings',
                    fields=[
                        ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                        ('tolerance', models.FloatField(default=30.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(1000)], verbose_name='one tolerance overrun by 2 mm of the hand')),
                        ('unsure', models.FloatField(default=5.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(1000)], verbose_name='one tolerance overrun by reading as well')),
                        ('piece', models.FloatField(default=0.4, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='one piece')),
                        ('seen', models.FloatField(default=0.05, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='one gram that is seen')),
                        ('price', models.FloatField(default=0.02, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='one unit of price')),
                        ('toxic', models.FloatField(default=0.3, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='one gram of lead')),
                        ('part', models.FloatField(default=2.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='one part taken off')),
                        ('cut_step_mm', models.FloatField(default=6.35, validators=[django.core.validators.MinValueValidator(1.0), django.core.validators.MaxValueValidator(50)], verbose_name='cutting step, mm')),
                        ('least_cut_mm', models.FloatField(default=12.7, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='shortest cut, mm')),
                        ('max_layers', models.PositiveSmallIntegerField(default=2, validators=[django.core.validators.MinValueValidator(1), django.core.validators.MaxValueValidator(6)], verbose_name='layers of tape, at most')),
                        ('few', models.FloatField(default=5.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='most would not notice less than, kg·cm²')),
                        ('serious', models.FloatField(default=10.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(100)], verbose_name='serious players notice, kg·cm²')),
                        ('bounce_racket', models.FloatField(default=0.85, validators=[django.core.validators.MinValueValidator(0.3), django.core.validators.MaxValueValidator(0.99)], verbose_name='bounce of a ball on strings held fast')),
                        ('bounce_paddle', models.FloatField(default=0.78, validators=[django.core.validators.MinValueValidator(0.3), django.core.validators.MaxValueValidator(0.99)], verbose_name='bounce of a ball on a paddle held fast')),
                        ('rate_hour', models.FloatField(default=40.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(10000)], verbose_name='an hour of work costs')),
                        ('rate_frame', models.FloatField(default=5.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(10000)], verbose_name='a frame taken in costs')),
                        ('rate_material', models.FloatField(default=1.5, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(20)], verbose_name='material costs, times its price')),
                        ('day_minutes', models.FloatField(default=240.0, validators=[django.core.validators.MinValueValidator(0.0), django.core.validators.MaxValueValidator(1440)], verbose_name='minutes of work a day')),
                    ],
                    options={
                        'verbose_name_plural': 'settings',
                        'constraints': [models.CheckConstraint(condition=models.Q(('pk', 1)), name='one_workshop')],
                    },
                ),
            ],
        ),
    ]
