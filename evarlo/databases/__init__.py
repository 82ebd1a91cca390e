"""Where records lie: one file of SQLite in the data folder, or PostgreSQL where the operator names one. The rest of Evarlo knows
neither: on both one transaction writes at a time, and one moment can be read while others write.

`settings` what Django is told of either; `moments` reading as of one moment; `copying` copies of the whole; `journal` what was
acknowledged, held against what is there; `marks` whether what was read is still so; `turns` one at a time where tables change;
`sqlite` and `postgresql` Django's own, with those who want to write in a queue."""
