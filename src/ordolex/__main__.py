from ordolex.cli.main import main

main()
