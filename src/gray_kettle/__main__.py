from gray_kettle.cli import run

run()
