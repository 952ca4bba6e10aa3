from ordolex.cli.start import main

main()
