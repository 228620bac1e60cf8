from gray_kettle.cli.main import run

run()
