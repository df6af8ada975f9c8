package edit

// all returns a zero value of every command.
func all() []Command {
	return []Command{
		SetProduction{}, NextVersion{}, ReplaceProduction{}, TakeSetUp{},
		AddSize{}, SetSize{}, LockSize{}, TurnSize{}, MoveSize{}, RemoveSize{},
		AddQuality{}, SetQuality{}, RemoveQuality{}, SetPicture{}, SetFloor{},
		AddLUT{}, SetLUT{}, RemoveLUT{}, RecallPreset{}, ResetToPreset{},
		UseScene{}, SetScene{}, AddEnvironment{}, SetEnvironment{}, RemoveEnvironment{},
		AddView{}, SetView{}, CopyView{}, FreezeView{}, DetachView{}, RemoveView{},
		AddKey{}, SetKey{}, RemoveKey{}, StretchKeys{}, TakeOverCamera{}, SetViewSize{}, ResetViewSize{},
		ResetView{}, StraightenView{}, DollyZoom{}, PlaceView{}, HeadView{}, AimView{},
		CopyLook{}, SetLook{}, SetLookLight{}, IsolateObject{},
		ResetLook{}, RemoveLook{}, AddRig{}, SetRig{}, RemoveRig{},
		AddShot{}, AddShotsOf{}, SetShots{}, ResetShots{},
		ReachShot{}, ShiftShot{}, SplitShot{}, CopyShots{}, RemoveShots{},
		JoinShots{}, RenumberShots{}, MoveShots{}, ImportShots{}, SetCell{}, SetDefaults{},
		RebuildCut{}, CloseCut{}, ConformShots{}, ShotsOfCut{}, SetCut{}, ImportCut{}, SetSound{}, RemoveSound{},
		AddClip{}, SetClip{}, MoveClip{}, TrimClip{}, SlipClip{}, RemoveClip{}, MuteTrack{},
		AddPassList{}, SetPassList{}, IncludePasses{}, CopyPassList{}, ChoosePass{}, RemovePassList{},
		AddLightGroup{}, SetLightGroup{}, RemoveLightGroup{}, SetDepth{}, SetShotDepth{},
		AddOutput{}, SetOutput{}, StampOutput{}, GroupPass{}, RemoveOutput{}, SetNames{},
		AddMatte{}, SetMatte{}, RemoveMatte{},
		AddGrade{}, SetGrade{}, SetGradeLight{}, AddGradeStep{}, SetGradeStep{}, MoveGradeStep{}, RemoveGradeStep{},
		CopyGrade{}, RemoveGrade{},
		AddDelivery{}, SetDelivery{}, RemoveDelivery{},
		WaiveFinding{}, RestoreFinding{}, ClearWaivers{}, PadFrames{}, WholePicture{}, OneQuality{}, EveryFrame{},
		TilesByNeed{}, FarBackground{},
	}
}
