module velvetgrime

go 1.26
